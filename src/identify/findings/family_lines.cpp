// family_lines.cpp: see family_lines.h.
#include "identify/findings/family_lines.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/percentile.h"
#include "identify/findings/comb.h"

namespace vprism {

double agreement_hz(double std_a, double std_b, double frequency) {
  return std::max(4 * std::hypot(std_a, std_b), 1e-5 * frequency);
}

Multiples multiples_of(const FreeLines& lines, double fundamental, double std_hz, double highest) {
  const std::vector<Peak>& peaks = lines.peaks;
  Multiples m;
  for (std::size_t i = 0; i < peaks.size(); ++i) {
    if (!lines.has(i)) continue;
    const double order = std::round(peaks[i].frequency_hz / fundamental);
    if (order < 1 || order > highest) continue;
    const double near = agreement_hz(peaks[i].frequency_std_hz, order * std_hz, peaks[i].frequency_hz);
    const bool fits = std::abs(peaks[i].frequency_hz - order * fundamental) <=
                      (peaks[i].of_comb ? std::max(near, 0.5 * lines.bin_hz) : near);
    // An uncertainty wider than a fifth of the fundamental would let any line in.
    if (!fits || order * std_hz > 0.05 * fundamental) continue;
    const auto whole = static_cast<std::size_t>(order);
    const auto same = std::find(m.orders.begin(), m.orders.end(), whole);
    if (same == m.orders.end()) {
      m.members.push_back(i);
      m.orders.push_back(whole);
      continue;
    }
    std::size_t& taken = m.members[static_cast<std::size_t>(same - m.orders.begin())];
    if (std::abs(peaks[i].frequency_hz - order * fundamental) <
        std::abs(peaks[taken].frequency_hz - order * fundamental))
      taken = i;
  }
  return m;
}

namespace {

/// Whether a line lies where half the rate folds an order, or between two of them that it joins.
bool is_folded_order(const FreeLines& lines, const CombRate& rate, const Peak& p) {
  if (!(lines.rate_hz > 0)) return false;
  for (int order = 1; order <= 1000; ++order) {
    const double hz = order * rate.rate_hz;
    if (hz < lines.rate_hz / 2) continue;
    if (std::abs(std::abs(std::remainder(hz, lines.rate_hz)) - p.frequency_hz) <=
        std::max(4 * std::hypot(p.frequency_std_hz, order * rate.std_hz), 1.5 * lines.bin_hz))
      return true;
  }
  return false;
}

/// Which lines lie where half the rate folds orders of a family to.
std::vector<bool> folded_orders(const FreeLines& lines, const Multiples& family) {
  const std::vector<Peak>& peaks = lines.peaks;
  const CombRate rate = comb_rate(peaks, family.members, family.orders);
  std::vector<bool> folded(peaks.size(), false);
  // They are about as strong as what lies below half the rate, and no stronger.
  double tail = 0;
  for (const Peak& p : peaks)
    if (p.frequency_hz > lines.rate_hz / 3) tail = std::max(tail, p.rms);
  for (std::size_t i = 0; i < peaks.size(); ++i)
    folded[i] = lines.has(i) && peaks[i].rms < 2 * tail && is_folded_order(lines, rate, peaks[i]);
  return folded;
}

}  // namespace

std::size_t beside_family(const FreeLines& lines, const Multiples& family,
                          const std::vector<std::size_t>& members) {
  const std::vector<bool> folded = folded_orders(lines, family);
  return static_cast<std::size_t>(std::count_if(members.begin(), members.end(), [&](std::size_t i) {
    return !folded[i] && std::find(family.members.begin(), family.members.end(), i) == family.members.end();
  }));
}

std::optional<Multiples> finer_family(const FreeLines& lines, const Multiples& family) {
  const std::vector<Peak>& peaks = lines.peaks;
  constexpr int most_parts = 12;
  constexpr double most_chance = 1e-4, least_chance = 1e-9, least_filled = 0.6, highest_order = 1000;
  const CombRate rate = comb_rate(peaks, family.members, family.orders);
  std::optional<Multiples> best;
  for (int part = 2; part <= most_parts; ++part) {
    const double hz = rate.rate_hz / part, std_hz = rate.std_hz / part;
    Multiples m = multiples_of(lines, hz, std_hz, highest_order);
    const std::size_t before = best ? best->members.size() : family.members.size();
    if (m.members.size() < before + 3) continue;
    double expected = 0;
    for (std::size_t i = 0; i < peaks.size(); ++i)
      if (lines.has(i) && std::find(family.members.begin(), family.members.end(), i) == family.members.end())
        expected +=
            std::min(1.0, 2 *
                              agreement_hz(peaks[i].frequency_std_hz, peaks[i].frequency_hz / hz * std_hz,
                                           peaks[i].frequency_hz) /
                              hz);
    const auto further = static_cast<double>(beside_family(lines, family, m.members));
    if (further < 3) continue;
    // The tail of Poisson's distribution, at most; as many parts were tried.
    const double chance =
        expected < further
            ? most_parts * std::exp(further - expected + further * std::log(expected / further))
            : 1;
    // High orders go under in the noise, and those of the family itself last.
    std::vector<std::size_t> sorted = m.orders;
    std::sort(sorted.begin(), sorted.end());
    const std::size_t most = (3 * sorted.size() + 3) / 4;
    const double filled = static_cast<double>(most) / static_cast<double>(sorted[most - 1] - sorted[0] + 1);
    // A gear's mesh leaves most orders between the shaft's own and its neighbours empty.
    const bool whole = sorted[0] == 1 && chance < least_chance;
    if (chance < most_chance && (filled >= least_filled || whole)) best = std::move(m);
  }
  return best;
}

std::optional<Multiples> grid_family(const FreeLines& lines) {
  constexpr std::size_t least = 12, most_leads = 200;
  constexpr double least_filled = 0.6, highest_order = 20000;
  const std::vector<Peak>& peaks = lines.peaks;
  std::vector<std::size_t> leads;  // The strongest of them, by frequency.
  for (std::size_t i = 0; i < peaks.size(); ++i)
    if (lines.has(i) && !peaks[i].broad()) leads.push_back(i);
  std::sort(leads.begin(), leads.end(),
            [&](std::size_t a, std::size_t b) { return peaks[a].rms > peaks[b].rms; });
  leads.resize(std::min(leads.size(), most_leads));
  if (leads.size() < least) return {};
  std::sort(leads.begin(), leads.end(),
            [&](std::size_t a, std::size_t b) { return peaks[a].frequency_hz < peaks[b].frequency_hz; });
  std::vector<double> steps;
  for (std::size_t i = 1; i < leads.size(); ++i)
    steps.push_back(peaks[leads[i]].frequency_hz - peaks[leads[i - 1]].frequency_hz);
  double step = median_in(steps);
  // From the middle outwards the step is known better and better.
  const Peak& middle = peaks[leads[leads.size() / 2]];
  double known = agreement_hz(middle.frequency_std_hz, middle.frequency_std_hz, 0);
  std::size_t on_grid = 0;
  double farthest = 0;
  std::vector<std::size_t> outwards = leads;
  std::sort(outwards.begin(), outwards.end(), [&](std::size_t a, std::size_t b) {
    return std::abs(peaks[a].frequency_hz - middle.frequency_hz) <
           std::abs(peaks[b].frequency_hz - middle.frequency_hz);
  });
  for (const std::size_t i : outwards) {
    const double off = peaks[i].frequency_hz - middle.frequency_hz, count = std::round(std::abs(off) / step);
    const double slack = agreement_hz(peaks[i].frequency_std_hz, middle.frequency_std_hz, 0);
    if (count < 1 || count * known > 0.25 * step ||
        std::abs(std::abs(off) - count * step) > count * known + slack)
      continue;
    ++on_grid;
    if (count <= farthest) continue;
    farthest = count, step = std::abs(off) / count, known = slack / count;
  }
  if (3 * on_grid < 2 * leads.size() || on_grid + 1 < least) return {};
  // Through 0 Hz, too.
  const double order = std::round(middle.frequency_hz / step);
  if (order * known > 0.2 * step ||
      std::abs(middle.frequency_hz - order * step) > order * known + 4 * middle.frequency_std_hz)
    return {};
  const double rate = middle.frequency_hz / order;
  Multiples out = multiples_of(lines, rate, std::min(known, middle.frequency_std_hz / order), highest_order);
  if (out.orders.size() < least) return {};
  std::vector<std::size_t> sorted = out.orders;
  std::sort(sorted.begin(), sorted.end());
  const std::size_t tail = sorted.size() / 8;  // Few may lie far out.
  const double filled = static_cast<double>(sorted.size() - 2 * tail) /
                        static_cast<double>(sorted[sorted.size() - 1 - tail] - sorted[tail] + 1);
  return filled >= least_filled ? std::optional(std::move(out)) : std::nullopt;
}

std::optional<FamilySidebands> sidebands_of(const FreeLines& lines, const std::vector<std::size_t>& members,
                                            double fundamental_hz) {
  using Side = FamilySidebands::Side;
  const std::vector<Peak>& peaks = lines.peaks;
  constexpr int most_spacings = 12;
  constexpr double most_chance = 1e-4;
  // Distances of the free lines from the members nearest to them.
  struct Away {
    std::size_t line, member;
    double hz, slack;
  };
  // Peaks stand strongest first: the strongest lines say what the spacing is.
  constexpr std::size_t most_away = 2000, most_leads = 100;
  std::vector<Away> away;
  for (std::size_t i = 0; i < peaks.size() && away.size() < most_away; ++i)
    for (const std::size_t m : members) {
      const double hz = peaks[i].frequency_hz - peaks[m].frequency_hz;
      if (!lines.has(i) || peaks[i].rms > peaks[m].rms || std::abs(hz) > 0.5 * fundamental_hz) continue;
      away.push_back(
          {i, m, hz,
           agreement_hz(peaks[i].frequency_std_hz, peaks[m].frequency_std_hz, 0.1 * peaks[m].frequency_hz)});
    }
  std::vector<Side> best;
  double best_hz = 0;
  std::size_t leads = 0;
  for (const Away& lead : away) {
    if (leads == most_leads) break;
    // A spacing is what stands on both sides of some member.
    const double spacing = std::abs(lead.hz);
    const bool both = std::any_of(away.begin(), away.end(), [&](const Away& other) {
      return other.member == lead.member && std::abs(other.hz + lead.hz) <= other.slack + lead.slack;
    });
    if (!both || spacing < 3 * lines.bin_hz) continue;
    ++leads;
    std::vector<Side> sides;
    double expected = 0;
    std::size_t free_lines = 0;
    for (const Away& a : away) {
      const double order = std::round(a.hz / spacing);
      const double slack = a.slack + std::abs(order) * lead.slack;
      expected += std::min(1.0, 2 * slack / spacing);
      ++free_lines;
      if (order == 0 || std::abs(order) > most_spacings || std::abs(a.hz - order * spacing) > slack) continue;
      const auto same =
          std::find_if(sides.begin(), sides.end(), [&](const Side& s) { return s.line == a.line; });
      if (same == sides.end()) sides.push_back({a.line, a.member, static_cast<int>(order)});
    }
    const auto count = static_cast<double>(sides.size());
    // One line and its counterpart were chosen.
    const double further = count - 2;
    const double chance = further > 0 && expected < further
                              ? static_cast<double>(free_lines) *
                                    std::exp(further - expected + further * std::log(expected / further))
                              : 1;
    if (sides.size() < 4 || chance > most_chance) continue;
    // A larger spacing that explains as many is the spacing.
    if (sides.size() > best.size() || (sides.size() == best.size() && spacing > best_hz))
      best = std::move(sides), best_hz = spacing;
  }
  if (best.empty()) return {};
  // All of them say what the spacing is.
  FamilySidebands out;
  double weights = 0, sum = 0;
  out.carrier = best.front().member;
  for (const Side& s : best) {
    const double std_hz = std::max(
        std::hypot(peaks[s.line].frequency_std_hz, peaks[s.member].frequency_std_hz), 1e-9 * fundamental_hz);
    const double weight = 1 / (std_hz * std_hz);
    weights += weight * s.order * s.order;
    sum += weight * s.order * (peaks[s.line].frequency_hz - peaks[s.member].frequency_hz);
    if (peaks[s.member].rms > peaks[out.carrier].rms) out.carrier = s.member;
  }
  out.spacing_hz = sum / weights, out.spacing_std_hz = 1 / std::sqrt(weights);
  out.sides = std::move(best);
  return out;
}

/// long.
std::string listed_orders(const std::vector<std::size_t>& orders, std::size_t step) {
  constexpr std::size_t least_run = 8, most_parts = 20;
  std::string out;
  std::size_t parts = 0;
  for (std::size_t i = 0; i < orders.size();) {
    std::size_t end = i + 1;
    while (end < orders.size() && orders[end] == orders[end - 1] + step) ++end;
    if (end - i < least_run) end = i + 1;
    out += (out.empty() ? "" : ", ") + std::to_string(orders[i]);
    if (end > i + 1) out += " to " + std::to_string(orders[end - 1]);
    i = end, ++parts;
  }
  if (parts > most_parts)
    return fmt::format("{} orders from {} to {}", orders.size(), orders.front(), orders.back());
  return "orders " + out;
}

}  // namespace vprism
