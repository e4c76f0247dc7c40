// naming.cpp: families of lines, put into words.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <optional>

#include "base/text.h"
#include "identify/findings/comb.h"
#include "identify/findings/family_lines.h"
#include "identify/findings/lattice_names.h"

namespace vprism {

namespace {

class Naming {
 public:
  Naming(const Channel& channel, const std::vector<Peak>& peaks, const SpectrumPlan& plan)
      : channel_(channel), peaks_(peaks), plan_(plan), used_(peaks.size(), false) {}

  std::vector<Finding> run() {
    double strongest = 0;
    for (const Peak& p : peaks_) strongest = std::max(strongest, p.rms);
    for (std::size_t i = 0; i < peaks_.size(); ++i) used_[i] = peaks_[i].rms < least_share * strongest;
    // A carrier's multiples, and the sidebands around them, of a modulated switch.
    if (const auto lattice = find_lattice(peaks_, used_, plan_))
      found_ = name_lattice(channel_, peaks_, *lattice);
    for (const Finding& finding : found_)
      for (const std::size_t m : finding.members) used_[m] = true;
    while (harmonic_family()) {
    }
    while (sideband_family()) {
    }
    for (std::size_t i = 0; i < peaks_.size(); ++i) {
      if (used_[i]) continue;
      peaks_[i].broad() ? hump(i) : alone(i);
    }
    std::sort(found_.begin(), found_.end(),
              [](const Finding& a, const Finding& b) { return a.level_rms > b.level_rms; });
    return std::move(found_);
  }

 private:
  /// Lines 100 dB below the strongest are what rounding to a recorder's or a printout's digits makes of it.
  static constexpr double least_share = 1e-5;

  std::string shown(double rms) const { return format_quantity(rms, channel_.unit.label(), 4) + " RMS"; }
  std::string shown_frequency(const Peak& p) const {
    return format_uncertain(p.frequency_hz, p.frequency_std_hz, "Hz");
  }

  static FindingLine line_of(const Peak& p, int order) {
    return {p.frequency_hz, p.frequency_std_hz, p.rms, order};
  }

  Finding& add(const char* kind, const Peak& lead, std::vector<std::size_t> members) {
    Finding finding;
    finding.kind = kind;
    finding.channel = channel_.name;
    finding.unit = channel_.unit.label();
    finding.frequency_hz = lead.frequency_hz;
    finding.frequency_std_hz = lead.frequency_std_hz;
    double square = 0;
    for (const std::size_t m : members) {
      square += peaks_[m].rms * peaks_[m].rms;
      used_[m] = true;
    }
    finding.level_rms = std::sqrt(square);
    finding.members = std::move(members);
    found_.push_back(std::move(finding));
    return found_.back();
  }

  static const char* mains_of(const Peak& p) {
    // Grids hold their frequency within 0.2 Hz in ordinary service.
    const double slack = 0.2 + 4 * p.frequency_std_hz;
    if (std::abs(p.frequency_hz - 50) < slack) return "50 Hz";
    if (std::abs(p.frequency_hz - 60) < slack) return "60 Hz";
    return nullptr;
  }

  /// A family without its fundamental needs more members, of orders that no other fundamental explains.
  static bool convincing(const Multiples& m) {
    if (m.orders.empty()) return false;
    const std::size_t highest = *std::max_element(m.orders.begin(), m.orders.end());
    const bool whole = std::find(m.orders.begin(), m.orders.end(), 1u) != m.orders.end();
    if (whole) return m.members.size() >= 3 && 4 * m.members.size() >= highest;
    std::size_t common = 0;
    for (const std::size_t order : m.orders) common = std::gcd(common, order);
    return m.members.size() >= 4 && 2 * m.members.size() >= highest && common == 1;
  }

  FreeLines free_lines() const { return {peaks_, used_, plan_.bin_hz, plan_.rate_hz}; }

  /// Sidebands around the members of a family, such as a shaft's around gear mesh and its harmonics.
  bool family_sidebands(const std::vector<std::size_t>& members, const Peak& fundamental) {
    const auto found = sidebands_of(free_lines(), members, fundamental.frequency_hz);
    if (!found) return false;
    std::vector<std::size_t> lines, around;
    for (const FamilySidebands::Side& s : found->sides) {
      lines.push_back(s.line);
      around.push_back(
          static_cast<std::size_t>(std::lround(peaks_[s.member].frequency_hz / fundamental.frequency_hz)));
    }
    std::sort(around.begin(), around.end());
    around.erase(std::unique(around.begin(), around.end()), around.end());
    std::string orders;
    for (const std::size_t order : around) orders += (orders.empty() ? "" : ", ") + std::to_string(order);
    const Peak& carrier = peaks_[found->carrier];
    Finding& finding = add("sideband-family", carrier, std::move(lines));
    finding.text = fmt::format("sidebands spaced {} around {} of {}, {} lines, {} together",
                               format_uncertain(found->spacing_hz, found->spacing_std_hz, "Hz"),
                               (around.size() == 1 ? "order " : "orders ") + orders,
                               shown_frequency(fundamental), found->sides.size(), shown(finding.level_rms));
    finding.numbers = {{"spacing_hz", found->spacing_hz},
                       {"spacing_std_hz", found->spacing_std_hz},
                       {"carrier_hz", carrier.frequency_hz}};
    for (const FamilySidebands::Side& s : found->sides) {
      finding.lines.push_back(line_of(peaks_[s.line], s.order));
      finding.evidence.push_back(fmt::format("{} at {:+d} x the spacing from {}, {}",
                                             shown_frequency(peaks_[s.line]), s.order,
                                             shown_frequency(peaks_[s.member]), shown(peaks_[s.line].rms)));
    }
    return true;
  }

  bool harmonic_family() {
    std::vector<std::size_t> best, best_orders;
    std::size_t strongest = peaks_.size();
    for (std::size_t i = peaks_.size(); i-- > 0;)
      if (free_lines().has(i) && (strongest == peaks_.size() || peaks_[i].rms >= peaks_[strongest].rms))
        strongest = i;
    bool of_strongest = false;
    Multiples on_strongest;
    for (std::size_t f = 0; f < peaks_.size(); ++f) {
      if (used_[f] || peaks_[f].broad()) continue;
      for (const int part : {1, 2, 3}) {
        Multiples m =
            multiples_of(free_lines(), peaks_[f].frequency_hz / part, peaks_[f].frequency_std_hz / part);
        if (!convincing(m)) continue;
        // More members win, but over a family on the strongest line only one that holds that line, too:
        // folded orders lie near parts of a fundamental.
        const bool is_strongest = f == strongest && part == 1;
        if (is_strongest) on_strongest = m;
        const bool holds = std::find(m.members.begin(), m.members.end(), strongest) != m.members.end();
        const bool held = std::find(best.begin(), best.end(), strongest) != best.end();
        const bool more = m.members.size() > best.size();
        if (is_strongest ? !more && (held || 2 * m.members.size() < best.size())
                         : !more || (of_strongest && !holds && 2 * best.size() >= m.members.size()))
          continue;
        of_strongest = is_strongest;
        best = std::move(m.members);
        best_orders = std::move(m.orders);
      }
    }
    if (auto grid = grid_family(free_lines()); grid && 2 * grid->members.size() > 3 * best.size())
      best = std::move(grid->members), best_orders = std::move(grid->orders);
    if (best.empty()) return false;
    // Folded orders of one make a family on a part of it.
    if (!of_strongest && !on_strongest.members.empty() && beside_family(free_lines(), on_strongest, best) < 3)
      best = on_strongest.members, best_orders = on_strongest.orders;
    if (auto finer = finer_family(free_lines(), {best, best_orders}))
      best = std::move(finer->members), best_orders = std::move(finer->orders);
    std::sort(best.begin(), best.end(),
              [&](std::size_t a, std::size_t b) { return peaks_[a].frequency_hz < peaks_[b].frequency_hz; });
    std::sort(best_orders.begin(), best_orders.end());
    // What all members say of the fundamental.
    const bool whole = best_orders.front() == 1;
    Peak lead = peaks_[best.front()];
    const CombRate rate = comb_rate(peaks_, best, best_orders);
    lead.frequency_hz = rate.rate_hz, lead.frequency_std_hz = rate.std_hz;
    const char* mains = mains_of(lead);
    const std::size_t folded = best.size() >= 6 ? add_high_orders(lead, best) : 0;
    if (folded > 0 && plan_.rate_hz > 0) {
      // Edges that no filter has smoothed are known to a sample (uniform, 1 / sqrt(12)); the slope through so
      // many of them, 1 / sqrt(M^3 / 12).
      const double samples = plan_.rate_hz / lead.frequency_hz,
                   periods = lead.frequency_hz * plan_.segment_s();
      lead.frequency_std_hz = std::hypot(
          lead.frequency_std_hz, lead.frequency_hz / (samples * std::pow(std::max(1.0, periods), 1.5)));
    }
    Finding& finding = add(mains != nullptr ? "mains-hum" : "harmonic-family", lead, best);
    best.resize(best_orders.size());
    if (folded > 0)
      finding.evidence.push_back(
          fmt::format("{} further lines lie at higher orders, or at such folded at half the rate", folded));
    const bool odd =
        std::all_of(best_orders.begin(), best_orders.end(), [](std::size_t o) { return o % 2 == 1; });
    const std::string orders = listed_orders(best_orders, odd ? 2 : 1);
    if (mains != nullptr)
      finding.text = fmt::format("mains hum: {} and {}harmonics ({}), {} together", shown_frequency(lead),
                                 odd ? "odd " : "", orders, shown(finding.level_rms));
    else
      finding.text = fmt::format("a harmonic family on {} ({}{}{}), {} together", shown_frequency(lead),
                                 whole ? "" : "which is not there itself; ", odd ? "odd " : "", orders,
                                 shown(finding.level_rms));
    if (mains != nullptr) finding.suspect = fmt::format("mains {}", mains);
    if (!whole && best_orders.front() > 3)
      finding.evidence.push_back(
          fmt::format("what repeats every {} has lines at all multiples of that rate within its band",
                      format_quantity(1 / lead.frequency_hz, "s", 6)));
    std::string missing;
    for (std::size_t order = whole ? 1 : best_orders.front(); order < best_orders.back(); ++order)
      if (!std::binary_search(best_orders.begin(), best_orders.end(), order) && (!odd || order % 2 == 1))
        missing += (missing.empty() ? "" : ", ") + std::to_string(order);
    if (!missing.empty()) finding.evidence.push_back("missing orders: " + missing);
    for (std::size_t i = 0; i < best.size(); ++i) {
      const Peak& p = peaks_[best[i]];
      finding.lines.push_back(line_of(p, static_cast<int>(best_orders[i])));
      finding.evidence.push_back(
          fmt::format("order {} at {}, {:+.2g} uncertainties from {} x the fundamental, {}", best_orders[i],
                      shown_frequency(p),
                      (p.frequency_hz - static_cast<double>(best_orders[i]) * lead.frequency_hz) /
                          std::max(1e-9 * p.frequency_hz,
                                   std::hypot(p.frequency_std_hz,
                                              static_cast<double>(best_orders[i]) * lead.frequency_std_hz)),
                      best_orders[i], shown(p.rms)));
    }
    while (family_sidebands(best, lead)) {
    }
    return true;
  }

  /// What is left at orders beyond those counted out, below or above half the rate, no stronger than those of
  /// impulses would be. Nearest to a family's low orders the chance of a line by accident is small.
  std::size_t add_high_orders(const Peak& lead, std::vector<std::size_t>& members) const {
    double strongest = 0;
    for (const std::size_t m : members) strongest = std::max(strongest, peaks_[m].rms);
    const std::size_t before = members.size();
    for (std::size_t i = 0; i < peaks_.size(); ++i) {
      const Peak& p = peaks_[i];
      if (used_[i] || p.rms > strongest || std::find(members.begin(), members.end(), i) != members.end())
        continue;
      for (int order = 1; order <= 1000; ++order) {
        const double hz = std::abs(std::remainder(order * lead.frequency_hz, plan_.rate_hz));
        if (std::abs(hz - p.frequency_hz) >
            std::max(4 * std::hypot(p.frequency_std_hz, order * lead.frequency_std_hz),
                     (p.of_comb ? 0.5 : 0.1) * plan_.bin_hz))
          continue;
        members.push_back(i);
        break;
      }
    }
    return members.size() - before;
  }

  /// Pairs around a stronger line, nearest pair first; further pairs must be multiples of its spacing.
  bool sideband_family() {
    for (std::size_t c = 0; c < peaks_.size(); ++c) {  // Strongest first.
      if (used_[c] || peaks_[c].broad()) continue;
      const Peak& carrier = peaks_[c];
      struct Pair {
        std::size_t low, high;
        double spacing;
      };
      std::vector<Pair> pairs;
      for (std::size_t a = 0; a < peaks_.size(); ++a) {
        for (std::size_t b = 0; b < peaks_.size(); ++b) {
          if (a == c || b == c || used_[a] || used_[b]) continue;
          const double below = carrier.frequency_hz - peaks_[a].frequency_hz,
                       above = peaks_[b].frequency_hz - carrier.frequency_hz;
          if (below <= 0 || above <= 0 || peaks_[a].rms > carrier.rms || peaks_[b].rms > carrier.rms)
            continue;
          const double slack =
              std::max(agreement_hz(peaks_[a].frequency_std_hz, peaks_[b].frequency_std_hz, 0),
                       agreement_hz(2 * carrier.frequency_std_hz, 0, 0.1 * carrier.frequency_hz));
          const double ratio = peaks_[a].rms / peaks_[b].rms;
          if (std::abs(below - above) <= slack && below < 0.5 * carrier.frequency_hz && ratio > 0.1 &&
              ratio < 10)
            pairs.push_back({a, b, (below + above) / 2});
        }
      }
      if (pairs.empty()) continue;
      std::sort(pairs.begin(), pairs.end(),
                [](const Pair& x, const Pair& y) { return x.spacing < y.spacing; });
      const double spacing = pairs.front().spacing;
      std::vector<std::size_t> members = {c};
      std::vector<std::string> evidence;
      for (const Pair& pair : pairs) {
        const double order = std::round(pair.spacing / spacing);
        if (std::abs(pair.spacing - order * spacing) > 0.1 * spacing) continue;
        members.push_back(pair.low);
        members.push_back(pair.high);
        evidence.push_back(fmt::format("pair {} at {} and {}: {} and {}", static_cast<int>(order),
                                       shown_frequency(peaks_[pair.low]), shown_frequency(peaks_[pair.high]),
                                       shown(peaks_[pair.low].rms), shown(peaks_[pair.high].rms)));
      }
      // Where amplitude and frequency vary together one side may be missing.
      for (std::size_t i = 0; i < peaks_.size(); ++i) {
        if (used_[i] || peaks_[i].rms > carrier.rms ||
            std::find(members.begin(), members.end(), i) != members.end())
          continue;
        const double away = std::abs(peaks_[i].frequency_hz - carrier.frequency_hz),
                     order = std::round(away / spacing);
        if (order >= 1 && order <= 12 &&
            std::abs(away - order * spacing) <=
                std::max(4 * peaks_[i].frequency_std_hz, 1e-5 * carrier.frequency_hz) + 2e-4 * spacing)
          members.push_back(i);
      }
      Finding& finding = add("sideband-family", carrier, members);
      finding.text = fmt::format(
          "a line at {}, {}, with sidebands spaced {} ({} {})", shown_frequency(carrier), shown(carrier.rms),
          format_quantity(spacing, "Hz", 6), evidence.size(), evidence.size() == 1 ? "pair" : "pairs");
      finding.evidence = std::move(evidence);
      finding.numbers = {{"spacing_hz", spacing}};
      for (const std::size_t m : finding.members)
        finding.lines.push_back(line_of(
            peaks_[m],
            static_cast<int>(std::lround((peaks_[m].frequency_hz - carrier.frequency_hz) / spacing))));
      report_modulation(carrier, peaks_[pairs.front().low], peaks_[pairs.front().high], finding);
      return true;
    }
    return false;
  }

  /// Phases of carrier and sidebands: their sum less twice the carrier's is 0 for a varying amplitude and 180
  /// degrees for a varying frequency or phase.
  void report_modulation(const Peak& carrier, const Peak& low, const Peak& high, Finding& finding) {
    const double off = std::remainder(low.phase_deg + high.phase_deg - 2 * carrier.phase_deg, 360.0);
    const double depth = (low.rms + high.rms) / carrier.rms;
    const double turned = std::abs(off);
    const bool amplitude = turned < 30;
    const bool turning = turned > 150;
    finding.numbers.emplace_back("modulation_phase_deg", off);
    finding.numbers.emplace_back(turning ? "modulation_index_rad" : "depth", depth);
    if (amplitude)
      finding.evidence.push_back(fmt::format(
          "phases fit a varying amplitude ({:.0f} deg, 0 expected), depth {:.3g}%", off, 100 * depth));
    else if (turning)
      finding.evidence.push_back(
          fmt::format("phases fit a varying frequency or phase ({:.0f} deg, 180 expected), index {:.3g} rad",
                      off, depth));
    else
      finding.evidence.push_back(fmt::format(
          "phases ({:.0f} deg) fit neither a varying amplitude (0) nor a varying frequency (180) alone",
          off));
    if (amplitude) finding.text += ", its amplitude varies";
    if (turning) finding.text += ", its frequency or phase varies";
  }

  /// A hump shows as several uneven peaks: those within a dozen bins of the strongest belong to it.
  void hump(std::size_t i) {
    const Peak& top = peaks_[i];
    std::vector<std::size_t> members;
    double rest = 0;
    for (std::size_t m = 0; m < peaks_.size(); ++m) {
      if (used_[m] || !peaks_[m].broad() ||
          std::abs(peaks_[m].frequency_hz - top.frequency_hz) > 12 * plan_.bin_hz)
        continue;
      members.push_back(m);
      rest = std::max(rest, peaks_[m].band_rms);
    }
    const std::size_t count = members.size();
    Finding& finding = add("broadband", top, std::move(members));
    finding.level_rms = rest;
    finding.text = fmt::format(
        "a hump near {}, about {}, wider than a steady tone: a resonance driven by noise, band noise, or a "
        "drifting tone",
        format_quantity(top.frequency_hz, "Hz", 3), shown(rest));
    finding.evidence.push_back(fmt::format(
        "a steady sine explains {:.0f}% of the power around its highest point", 100 * top.concentration));
    if (count > 1)
      finding.evidence.push_back(
          fmt::format("{} uneven peaks within {}", count, format_quantity(12 * plan_.bin_hz, "Hz", 3)));
  }

  void alone(std::size_t i) {
    const Peak& p = peaks_[i];
    const char* mains = mains_of(p);
    Finding& finding = add(mains != nullptr ? "mains-hum" : "tone", p, {i});
    if (mains != nullptr)
      finding.text = fmt::format("a tone at {}, {}: the mains frequency", shown_frequency(p), shown(p.rms));
    else
      finding.text = fmt::format("a tone at {}, {}", shown_frequency(p), shown(p.rms));
    if (mains != nullptr) finding.suspect = fmt::format("mains {}", mains);
    finding.evidence.push_back(fmt::format("stands {:.1f} dB above the noise in {} RBW",
                                           p.signal_to_noise_db(), format_quantity(plan_.rbw_hz, "Hz", 3)));
    finding.evidence.push_back(
        fmt::format("a steady sine explains {:.0f}% of the power around it", 100 * p.concentration));
  }

  const Channel& channel_;
  const std::vector<Peak>& peaks_;
  const SpectrumPlan& plan_;
  std::vector<bool> used_;
  std::vector<Finding> found_;
};

}  // namespace

std::vector<Finding> name_peaks(const Channel& channel, const std::vector<Peak>& peaks,
                                const SpectrumPlan& plan) {
  return Naming(channel, peaks, plan).run();
}

}  // namespace vprism
