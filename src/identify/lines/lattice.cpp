// lattice.cpp: see lattice.h. Candidates are read off the strongest lines: spacings that come again between
// them, and carriers that are lines or midway between two. The strongest lines say first whether a pair fits,
// and with each that does both are known better.
#include "identify/lines/lattice.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <set>

namespace vprism {

namespace {

constexpr int most_sides = 15;
constexpr std::size_t least_sides = 16, least_carriers = 3;

/// How many sidebands to either side count at a frequency: the modulation of a carrier's multiples grows with
/// their order. At most, they reach to the neighbours' near ones.
double sides_at(double hz, double carrier_hz, double spacing_hz) {
  constexpr double share = 0.03;
  return std::max<double>(most_sides,
                          std::min(most_sides + share * hz / spacing_hz, 0.4 * carrier_hz / spacing_hz));
}

/// Two unknowns by their normal equations.
class TwoFrequencies {
 public:
  TwoFrequencies(double carrier_hz, double spacing_hz) : carrier_(carrier_hz), spacing_(spacing_hz) {}
  void add(int m, int n, double hz, double std_hz) {
    const double w = 1 / (std_hz * std_hz);
    mm_ += w * m * m, mn_ += w * m * n, nn_ += w * n * n, mf_ += w * m * hz, nf_ += w * n * hz;
    const double det = mm_ * nn_ - mn_ * mn_;
    // Both are known once lines of two kinds are.
    if (!(det > 1e-9 * mm_ * nn_)) return;
    carrier_ = (mf_ * nn_ - nf_ * mn_) / det, spacing_ = (nf_ * mm_ - mf_ * mn_) / det;
    carrier_std_ = std::sqrt(nn_ / det), spacing_std_ = std::sqrt(mm_ / det);
  }
  double carrier() const { return carrier_; }
  double spacing() const { return spacing_; }
  double carrier_std() const { return carrier_std_; }
  double spacing_std() const { return spacing_std_; }

 private:
  double carrier_, spacing_, carrier_std_ = 0, spacing_std_ = 0;
  double mm_ = 0, mn_ = 0, nn_ = 0, mf_ = 0, nf_ = 0;
};

class LatticeSearch {
 public:
  LatticeSearch(const std::vector<Peak>& peaks, const std::vector<bool>& used, const SpectrumPlan& plan)
      : peaks_(peaks), plan_(plan) {
    for (std::size_t i = 0; i < peaks.size(); ++i)
      if (!used[i] && !(peaks[i].concentration < 0.6) && peaks[i].frequency_hz > 2 * plan.bin_hz)
        strongest_.push_back(i);
    std::stable_sort(strongest_.begin(), strongest_.end(),
                     [&](std::size_t a, std::size_t b) { return peaks[a].rms > peaks[b].rms; });
  }

  std::optional<Lattice> run() const {
    if (strongest_.size() < least_sides + least_carriers) return {};
    std::optional<Lattice> best;
    double best_worth = 0;
    for (const double spacing : spacings())
      for (const double carrier : carriers(spacing)) {
        double worth = 0;
        auto found = fit(carrier, spacing, worth);
        if (found && worth > best_worth) best_worth = worth, best = std::move(found);
      }
    if (!best) return {};
    // The carrier and its first sideband would serve as well: the one that holds more within fewer sidebands.
    best = nearest_carrier(std::move(*best));
    // Of a part of the true frequencies only some orders are there.
    int of_carriers = 0, of_sides = 0;
    for (const LatticeLine& line : best->lines)
      of_carriers = std::gcd(of_carriers, line.carrier_order), of_sides = std::gcd(of_sides, line.side_order);
    if (of_carriers > 1 || of_sides > 1) {
      double worth = 0;
      if (auto whole = fit(best->carrier_hz * std::max(1, of_carriers),
                           best->spacing_hz * std::max(1, of_sides), worth);
          whole && whole->lines.size() >= best->lines.size())
        best = std::move(whole);
    }
    if (is_filled_comb(*best) || is_folded_comb(*best)) return {};
    return best;
  }

 private:
  double std_of(const Peak& p) const {
    // What lies beside a line disturbs it.
    return std::max(p.frequency_std_hz * std::sqrt(std::max(1.0, p.misfit)), 0.005 * plan_.bin_hz);
  }

  /// Distances that come again among the strongest lines, those that do so most often first; and the
  /// strongest low lines themselves.
  std::vector<double> spacings() const {
    constexpr std::size_t leads = 50, most = 12, lows = 4;
    const std::size_t count = std::min(leads, strongest_.size());
    std::vector<double> distances;
    for (std::size_t a = 0; a < count; ++a)
      for (std::size_t b = a + 1; b < count; ++b)
        distances.push_back(
            std::abs(peaks_[strongest_[a]].frequency_hz - peaks_[strongest_[b]].frequency_hz));
    std::sort(distances.begin(), distances.end());
    std::vector<std::pair<std::size_t, double>> clusters;
    const double near = 0.05 * plan_.bin_hz;
    for (std::size_t i = 0; i < distances.size();) {
      std::size_t end = i + 1;
      while (end < distances.size() && distances[end] - distances[end - 1] < near) ++end;
      if (end - i >= 4 && distances[i] > 3 * plan_.bin_hz)
        clusters.emplace_back(end - i, distances[(i + end) / 2]);
      i = end;
    }
    std::stable_sort(clusters.begin(), clusters.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    std::vector<double> out;
    for (const auto& [times, hz] : clusters)
      if (out.size() < most) out.push_back(hz);
    std::size_t low = 0;
    for (std::size_t k = 0; k < std::min<std::size_t>(12, strongest_.size()) && low < lows; ++k)
      out.push_back(peaks_[strongest_[k]].frequency_hz), ++low;
    return out;
  }

  /// The strongest lines, and the middles between two strong ones that lie near each other.
  std::vector<double> carriers(double spacing) const {
    constexpr std::size_t lines = 12;
    std::vector<double> out;
    const std::size_t count = std::min(lines, strongest_.size());
    for (std::size_t a = 0; a < count; ++a) {
      const double hz = peaks_[strongest_[a]].frequency_hz;
      for (const int part : {1, 2, 3}) out.push_back(hz / part);
      for (std::size_t b = a + 1; b < count; ++b) {
        const double other = peaks_[strongest_[b]].frequency_hz;
        if (std::abs(hz - other) < 0.3 * hz)
          for (const int part : {1, 2}) out.push_back((hz + other) / 2 / part);
      }
    }
    std::erase_if(out, [&](double hz) { return hz < 2.5 * spacing; });
    return out;
  }

  /// Whether both are multiples of one frequency, and lines stand at many of its orders: a family of its own.
  bool is_filled_comb(const Lattice& lattice) const {
    constexpr int most_parts = 6;
    constexpr double filled = 0.25;
    double highest = 0;
    for (const LatticeLine& line : lattice.lines) highest = std::max(highest, peaks_[line.peak].frequency_hz);
    for (int part = 1; part <= most_parts; ++part) {
      const double base = lattice.spacing_hz / part, order = std::round(lattice.carrier_hz / base);
      const double slack =
          4 * std::hypot(lattice.carrier_std_hz, order / part * lattice.spacing_std_hz) + 0.1 * plan_.bin_hz;
      if (slack < 0.1 * base && std::abs(lattice.carrier_hz - order * base) < slack)
        return static_cast<double>(lattice.lines.size()) > filled * highest / base;
    }
    return false;
  }

  /// Whether most sidebands lie where half the rate folds high orders of the carrier to.
  bool is_folded_comb(const Lattice& lattice) const {
    constexpr int most_orders = 2000;
    std::size_t sides = 0, folded = 0;
    for (const LatticeLine& line : lattice.lines) {
      if (line.side_order == 0) continue;
      const Peak& p = peaks_[line.peak];
      ++sides;
      bool fits = false;
      for (int order = 2; order <= most_orders && !fits; ++order) {
        const double hz = order * lattice.carrier_hz;
        if (hz < plan_.rate_hz / 2) continue;
        // Of orders beyond what is known of the carrier any line may be one.
        const double known = 4 * order * lattice.carrier_std_hz;
        if (known > 0.1 * plan_.bin_hz) break;
        fits = std::abs(std::abs(std::remainder(hz, plan_.rate_hz)) - p.frequency_hz) <
               std::min(std::hypot(4 * std_of(p), known), 0.2 * plan_.bin_hz);
      }
      folded += fits ? 1 : 0;
    }
    return 2 * folded > sides;
  }

  /// With the carrier moved by whole spacings to where the strong lines are its near sidebands.
  Lattice nearest_carrier(Lattice found) const {
    int best = 0;
    double least = std::numeric_limits<double>::infinity();
    for (int k = -most_sides; k <= most_sides; ++k) {
      if (found.carrier_hz + k * found.spacing_hz < 2.5 * found.spacing_hz) continue;
      double moment = 0;
      for (const LatticeLine& line : found.lines)
        moment += std::pow(peaks_[line.peak].rms, 2) * std::abs(line.side_order - k * line.carrier_order);
      if (moment < least) least = moment, best = k;
    }
    if (best == 0) return found;
    double worth = 0;
    auto moved = fit(found.carrier_hz + best * found.spacing_hz, found.spacing_hz, worth);
    return moved ? std::move(*moved) : found;
  }

  /// Both frequencies from all lines, each as well as it is known; their scatter about that is in what is
  /// stated.
  void settle(Lattice& out, double carrier, double spacing) const {
    TwoFrequencies both(carrier, spacing);
    const auto known = [&](const LatticeLine& line) {
      const Peak& p = peaks_[line.peak];
      return std::max(p.frequency_std_hz * std::sqrt(std::max(1.0, p.misfit)), 1e-10 * p.frequency_hz);
    };
    for (const LatticeLine& line : out.lines)
      both.add(line.carrier_order, line.side_order, peaks_[line.peak].frequency_hz, known(line));
    double scatter = 0;
    for (const LatticeLine& line : out.lines)
      scatter += std::pow((peaks_[line.peak].frequency_hz - line.carrier_order * both.carrier() -
                           line.side_order * both.spacing()) /
                              known(line),
                          2);
    const double beyond = std::sqrt(std::max(1.0, scatter / static_cast<double>(out.lines.size() - 2)));
    out.carrier_hz = both.carrier(), out.spacing_hz = both.spacing();
    out.carrier_std_hz = both.carrier_std() * beyond, out.spacing_std_hz = both.spacing_std() * beyond;
  }

  std::optional<Lattice> fit(double carrier, double spacing, double& worth) const {
    TwoFrequencies both(carrier, spacing);
    Lattice out;
    double expected = 0, evidence = 0;
    std::size_t sides = 0, asked = 0;
    std::set<int> carriers;
    std::set<std::pair<int, int>> taken;
    for (const std::size_t i : strongest_) {
      const Peak& p = peaks_[i];
      ++asked;
      // Half of the strongest forty belong to it, or it is none.
      if (asked == 40 && out.lines.size() < 20) return {};
      const double nearest = std::round(p.frequency_hz / both.carrier());
      std::optional<LatticeLine> fits;
      double off = 0;
      for (double m = std::max(1.0, nearest - 1); m <= nearest + 1; ++m) {
        const double rest = p.frequency_hz - m * both.carrier(), n = std::round(rest / both.spacing());
        if (std::abs(n) > sides_at(p.frequency_hz, both.carrier(), both.spacing())) continue;
        const double wide =
            std::min(4 * std::hypot(std_of(p), std::hypot(m * both.carrier_std(), n * both.spacing_std())) +
                         // Neither is known from the first lines.
                         (out.lines.size() < 6 ? 0.1 * plan_.bin_hz : 0),
                     0.3 * plan_.bin_hz);
        const double away = std::abs(rest - n * both.spacing());
        if (away > wide || (fits && away >= off)) continue;
        fits = LatticeLine{i, static_cast<int>(m), static_cast<int>(n)}, off = away;
      }
      const double chance =
          std::min(1.0, (2 * sides_at(p.frequency_hz, both.carrier(), both.spacing()) + 1) * 2 *
                            std::min(4 * std_of(p), 0.3 * plan_.bin_hz) / both.carrier());
      expected += chance;
      if (!fits || !taken.insert({fits->carrier_order, fits->side_order}).second) continue;
      out.lines.push_back(*fits), out.square += p.rms * p.rms;
      carriers.insert(fits->carrier_order), sides += fits->side_order != 0 ? 1 : 0;
      evidence -= std::log(std::max(chance, 1e-12));
      both.add(fits->carrier_order, fits->side_order, p.frequency_hz, std_of(p));
    }
    const auto count = static_cast<double>(out.lines.size());
    if (sides < least_sides || carriers.size() < least_carriers || count < 10 * expected) return {};
    settle(out, both.carrier(), both.spacing());
    // Where sidebands lie everywhere they say nothing; the larger of two spacings that explain as much.
    worth = evidence * (1 + 1e-3 * out.spacing_hz / plan_.rate_hz);
    return out;
  }

  const std::vector<Peak>& peaks_;
  const SpectrumPlan& plan_;
  std::vector<std::size_t> strongest_;
};

}  // namespace

std::optional<Lattice> find_lattice(const std::vector<Peak>& peaks, const std::vector<bool>& used,
                                    const SpectrumPlan& plan) {
  return LatticeSearch(peaks, used, plan).run();
}

std::optional<Lattice> mark_lattice(std::vector<Peak>& peaks, const SpectrumPlan& plan, double variance) {
  std::vector<bool> used;
  for (const Peak& p : peaks) used.push_back(p.of_band);
  auto lattice = find_lattice(peaks, used, plan);
  if (!lattice) return {};
  std::vector<std::size_t> members;
  double square = lattice->square;
  for (const LatticeLine& line : lattice->lines) members.push_back(line.peak);
  for (std::size_t i = 0; i < peaks.size(); ++i) {
    const Peak& p = peaks[i];
    const double order = std::round(p.frequency_hz / lattice->spacing_hz);
    if (used[i] || order < 1 || order > most_sides ||
        std::abs(p.frequency_hz - order * lattice->spacing_hz) > 0.1 * plan.bin_hz + 4 * p.frequency_std_hz ||
        std::find(members.begin(), members.end(), i) != members.end())
      continue;
    members.push_back(i), square += p.rms * p.rms;
  }
  if (square < 0.6 * variance) return {};
  for (const std::size_t m : members) peaks[m].of_comb = true;
  return lattice;
}

}  // namespace vprism
