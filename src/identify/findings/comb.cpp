// comb.cpp: see comb.h.
#include "identify/findings/comb.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "identify/lines/lattice.h"

namespace vprism {

namespace {

constexpr std::size_t most_comb_orders = 1000;

struct Orders {
  std::vector<std::size_t> members, orders;
  CombRate rate;
  double square = 0;
};

/// From a first guess upwards: each order that fits makes the rate better known.
Orders climb(const std::vector<Peak>& peaks, const std::vector<std::size_t>& by_frequency, CombRate guess,
             double bin_hz) {
  Orders out;
  out.rate = guess;
  for (const std::size_t i : by_frequency) {
    const Peak& p = peaks[i];
    const double order = std::round(p.frequency_hz / out.rate.rate_hz);
    if (order < 1 || order > static_cast<double>(most_comb_orders)) continue;
    const double known = order * out.rate.std_hz;
    if (known > 0.1 * out.rate.rate_hz) break;
    const double slack = std::min(4 * std::hypot(p.frequency_std_hz, known), 0.3 * bin_hz) + 0.03 * bin_hz;
    if (std::abs(p.frequency_hz - order * out.rate.rate_hz) > slack) continue;
    out.members.push_back(i), out.orders.push_back(static_cast<std::size_t>(order));
    out.square += p.rms * p.rms;
    if (out.members.size() >= 2) out.rate = comb_rate(peaks, out.members, out.orders);
  }
  return out;
}

double number_of(const Finding& f, const char* key, double otherwise) {
  for (const auto& [name, value] : f.numbers)
    if (name == key) return value;
  return otherwise;
}

bool leftover(const Finding& f) {
  return f.kind == "wandering" || f.kind == "unresolved" || f.kind == "broadband" ||
         f.kind == "impulse-family" || f.kind == "resonance" || f.kind == "burst";
}

/// Whether a weak line lies at an order beyond half the rate, folded, and is no stronger than that may be:
/// order n holds `strength` / n.
bool folded_order(const Finding& f, const Finding& family, double strength, const SpectrumPlan& plan) {
  if (f.kind != "tone" && f.kind != "growing" && f.kind != "decaying" && f.kind != "alias") return false;
  for (std::size_t n = 2; n <= most_comb_orders; ++n) {
    const auto order = static_cast<double>(n);
    if (f.level_rms > 2.5 * strength / order) return false;
    if (order * family.frequency_hz < plan.rate_hz / 2) continue;
    const double hz = std::abs(std::remainder(order * family.frequency_hz, plan.rate_hz));
    if (std::abs(hz - f.frequency_hz) < plan.rbw_hz + order * family.frequency_std_hz) return true;
  }
  return false;
}

}  // namespace

CombRate comb_rate(const std::vector<Peak>& peaks, const std::vector<std::size_t>& members,
                   const std::vector<std::size_t>& orders) {
  double weights = 0, sum = 0;
  for (std::size_t i = 0; i < members.size(); ++i) {
    const Peak& p = peaks[members[i]];
    const auto n = static_cast<double>(orders[i]);
    const double weight = 1 / std::pow(std::max(p.frequency_std_hz, 1e-12 * p.frequency_hz), 2);
    weights += weight * n * n, sum += weight * n * p.frequency_hz;
  }
  CombRate out{sum / weights, 1 / std::sqrt(weights)};
  double scatter = 0, common = 0;
  for (std::size_t i = 0; i < members.size(); ++i) {
    const Peak& p = peaks[members[i]];
    // What disturbs a line, folded orders above all, lies to the same side of every one.
    const double std_hz = std::max(p.frequency_std_hz, 1e-12 * p.frequency_hz);
    common +=
        static_cast<double>(orders[i]) * std::sqrt(std::max(0.0, 1 - 1 / std::max(1.0, p.misfit))) / std_hz;
    scatter += std::pow((p.frequency_hz - static_cast<double>(orders[i]) * out.rate_hz) /
                            std::max(p.frequency_std_hz, 1e-12 * p.frequency_hz),
                        2);
  }
  if (members.size() > 1)
    out.std_hz *= std::sqrt(std::max(1.0, scatter / static_cast<double>(members.size() - 1)));
  out.std_hz = std::hypot(out.std_hz, common / weights);
  return out;
}

std::optional<CombRate> mark_comb(std::vector<Peak>& peaks, const SpectrumPlan& plan, double variance) {
  std::vector<std::size_t> by_frequency, strongest;
  for (std::size_t i = 0; i < peaks.size(); ++i)
    if (!peaks[i].of_band) by_frequency.push_back(i), strongest.push_back(i);
  if (by_frequency.size() < 6) return {};
  std::sort(by_frequency.begin(), by_frequency.end(),
            [&](std::size_t a, std::size_t b) { return peaks[a].frequency_hz < peaks[b].frequency_hz; });
  std::sort(strongest.begin(), strongest.end(),
            [&](std::size_t a, std::size_t b) { return peaks[a].rms > peaks[b].rms; });
  strongest.resize(std::min<std::size_t>(12, strongest.size()));
  Orders best;
  for (const std::size_t lead : strongest)
    for (const int part : {1, 2, 3}) {
      const Peak& p = peaks[lead];
      Orders found =
          climb(peaks, by_frequency,
                {p.frequency_hz / part, std::min(p.frequency_std_hz, 0.1 * plan.bin_hz) / part}, plan.bin_hz);
      // Of a part of the true rate only some of the orders are there.
      const auto worth = [](const Orders& o) {
        return o.square * static_cast<double>(o.members.size()) /
               static_cast<double>(std::max<std::size_t>(1, o.orders.empty() ? 1 : o.orders.back()));
      };
      if (found.members.size() >= 6 && found.square >= 0.6 * variance && worth(found) > worth(best))
        best = std::move(found);
    }
  if (best.members.empty()) return {};
  for (const std::size_t m : best.members) peaks[m].of_comb = true;
  // Higher orders lie where half the rate folds them.
  for (const std::size_t i : by_frequency) {
    Peak& p = peaks[i];
    for (std::size_t order = 1; order <= most_comb_orders && !p.of_comb; ++order) {
      const double known = static_cast<double>(order) * best.rate.std_hz;
      if (known > 0.5 * plan.bin_hz) break;
      const double hz =
          std::abs(std::remainder(static_cast<double>(order) * best.rate.rate_hz, plan.rate_hz));
      p.of_comb = std::abs(hz - p.frequency_hz) <
                  std::clamp(4 * std::hypot(p.frequency_std_hz, known), 0.1 * plan.bin_hz, 0.5 * plan.bin_hz);
    }
  }
  return best.rate;
}

namespace {

/// Its level, and what its sentence says of it.
void add_level(Finding& family, double rms) {
  const auto said = [&] { return format_quantity(family.level_rms, family.unit, 4) + " RMS together"; };
  const std::string before = said();
  family.level_rms = std::hypot(family.level_rms, rms);
  if (const std::size_t at = family.text.find(before); at != std::string::npos)
    family.text.replace(at, before.size(), said());
}

/// Impulses make what they ring at: bands there, and lines that wander, are theirs.
void take_into_trains(std::vector<Finding>& findings) {
  for (std::size_t i = 0; i < findings.size(); ++i) {
    if (findings[i].kind != "impulse-family") continue;
    for (std::size_t j = findings.size(); j-- > 0;) {
      const Finding& f = findings[j];
      Finding& train = findings[i];
      const double ring = number_of(train, "ringing_hz", 0);
      const double away = ring > 0 ? std::abs(f.frequency_hz / ring - 1) : 1;
      // A line elsewhere that wanders is a machine of its own.
      const bool loose = (f.kind == "wandering" || f.kind == "unresolved") && away < 0.3;
      const bool rings = (f.kind == "broadband" || f.kind == "resonance") && away < 0.15;
      if (j == i || !(loose || rings) || f.frequency_hz < 3 * train.frequency_hz ||
          f.level_rms > train.level_rms)
        continue;
      train.evidence.push_back(fmt::format("what stands near {}, {} RMS, rings with them",
                                           format_quantity(f.frequency_hz, "Hz", 4),
                                           format_quantity(f.level_rms, f.unit, 3)));
      add_level(train, f.level_rms);
      train.members.insert(train.members.end(), f.members.begin(), f.members.end());
      findings.erase(findings.begin() + static_cast<std::ptrdiff_t>(j));
      if (j < i) --i;
    }
  }
}

}  // namespace

void take_into_families(const std::vector<Peak>& peaks, const SpectrumPlan& plan,
                        std::vector<Finding>& findings) {
  take_into_trains(findings);
  for (std::size_t i = 0; i < findings.size(); ++i) {
    Finding& family = findings[i];
    if ((family.kind != "harmonic-family" && family.kind != "mains-hum") || family.members.size() < 6)
      continue;
    double highest = 0, tail = 0;
    for (const std::size_t m : family.members) {
      highest = std::max(highest, peaks[m].frequency_hz);
      if (peaks[m].frequency_hz > plan.rate_hz / 4) tail += peaks[m].rms * peaks[m].rms;
    }
    // Orders fall as 1/n at the slowest, save near the first: beyond half the rate there is no more than
    // between it and its half.
    double room = highest > 0.4 * plan.rate_hz ? 2 * tail : 0;
    const double strength = room > 0 ? std::sqrt(tail * plan.rate_hz / 2 / family.frequency_hz) : 0;
    std::size_t folded = 0;
    // Lines of it that lie where half the rate folds them.
    const auto folded_so_far =
        std::count_if(family.members.begin(), family.members.end(), [&](std::size_t m) {
          const double order = peaks[m].frequency_hz / family.frequency_hz;
          return std::abs(order - std::round(order)) * family.frequency_hz > plan.bin_hz;
        });
    for (std::size_t j = findings.size(); j-- > 0;) {
      const Finding& f = findings[j];
      if (j == i || f.level_rms > 0.7 * family.level_rms ||
          !(leftover(f) || folded_order(f, family, strength, plan) ||
            ((f.kind == "harmonic-family" || f.kind == "sideband-family") &&
             f.level_rms < 0.05 * family.level_rms && folded_so_far > 0)))
        continue;
      const double square = f.level_rms * f.level_rms;
      const double wide =
          std::max(number_of(f, "high_hz", 0) - number_of(f, "low_hz", 0), f.frequency_std_hz);
      const double order = std::round(f.frequency_hz / family.frequency_hz);
      const bool at_order = f.kind != "impulse-family" && order >= 1 &&
                            std::abs(f.frequency_hz - order * family.frequency_hz) <
                                std::max(2 * plan.rbw_hz, f.frequency_std_hz) &&
                            wide < std::max(8 * plan.rbw_hz, 0.2 * family.frequency_hz);
      if (!at_order && square > room) continue;
      if (at_order)
        family.evidence.push_back(fmt::format("order {:.0f}, {} RMS, is disturbed by what lies beside it",
                                              order, format_quantity(f.level_rms, f.unit, 4)));
      else
        room -= square, ++folded;
      add_level(family, f.level_rms);
      family.members.insert(family.members.end(), f.members.begin(), f.members.end());
      findings.erase(findings.begin() + static_cast<std::ptrdiff_t>(j));
      if (j < i) --i;
    }
    if (folded > 0)
      findings[i].evidence.push_back(fmt::format(
          "{} weak {} between the lines no more than its orders beyond half the rate, folded, make", folded,
          folded == 1 ? "band is" : "bands are"));
  }
}

ExactRates::ExactRates(std::vector<Peak>& peaks, const SpectrumPlan& plan, double variance)
    : bin_hz_(plan.bin_hz) {
  if (const auto comb = mark_comb(peaks, plan, variance))
    spacing_hz_ = comb->rate_hz;
  else if (const auto lattice = mark_lattice(peaks, plan, variance))
    carrier_hz_ = lattice->carrier_hz, spacing_hz_ = lattice->spacing_hz;
}

bool ExactRates::has(double rate_hz, double rate_std_hz) const {
  if (!(spacing_hz_ > 0)) return false;
  const double slack = std::max(4 * rate_std_hz, bin_hz_);
  // Of lines so near each other anything is one.
  if (slack > 0.25 * spacing_hz_) return false;
  constexpr int most_sides_near = 15;
  const int most_carriers = carrier_hz_ > 0 ? 3 : 0;
  for (int m = 0; m <= most_carriers; ++m) {
    const double rest = rate_hz - m * carrier_hz_, n = std::round(rest / spacing_hz_);
    if (std::abs(rest - n * spacing_hz_) < slack && (carrier_hz_ == 0 || std::abs(n) <= most_sides_near))
      return true;
  }
  return false;
}

}  // namespace vprism
