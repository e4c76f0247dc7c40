// record_modes.cpp: see record_modes.h.
#include "identify/modes/record_modes.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/linear/linear.h"
#include "base/turns.h"
#include "identify/modes/record_band.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
constexpr std::size_t most_channels = 8;
constexpr double most_damping = 0.5;  ///< Above it nothing stands out that could be called a resonance.

double width_of(Complex pole) { return -pole.real() / two_pi; }  ///< Half of the half-power width, in Hz.
double hz_of(Complex pole) { return std::abs(pole) / two_pi; }

/// Twice the rise of the log-likelihood from one fit to another; none where both leave next to nothing, which
/// is rounding and what the polynomials can't follow.
double gain(const RecordBand::State& poor, const RecordBand::State& rich) {
  return poor.squares - rich.squares > 1e-7 * rich.all ? 2 * (poor.log_squares - rich.log_squares) : 0;
}
/// A pole, its residues with them, and half as much again, since its place was searched for.
double price_of_pole(const RecordBand& fit) {
  return 1.5 * (fit.price_of_terms(1) + fit.price(1, 1) / static_cast<double>(fit.channels()));
}

/// One pole as two: apart in frequency, or in damping alone; nothing where the likelihood does not ask for
/// it.
bool part(const RecordBand& fit, std::vector<Complex>& poles, RecordBand::State& state) {
  for (std::size_t i = 0; i < poles.size(); ++i) {
    for (const double apart : {0.6, 1.5}) {
      std::vector<Complex> trial = poles;
      const double half = std::abs(poles[i].real());
      trial[i] += Complex(0.3 * half, apart * half);
      trial.push_back(poles[i] + Complex(0.3 * half, -apart * half));
      if (!fit.enough(trial.size())) continue;
      // What is not on the way to being two after a few steps does not become it.
      RecordBand::State two = fit.settle(trial, 6);
      if (gain(state, two) < 0.3 * price_of_pole(fit)) continue;
      two = fit.settle(trial);
      bool sound = gain(state, two) > price_of_pole(fit);
      for (const Complex p : trial)
        sound = sound && -p.real() < 0.4 * std::abs(p) && -p.real() < 4 * half && -p.real() > 0.05 * half;
      if (!sound) continue;
      poles = trial, state = std::move(two);
      return true;
    }
  }
  return false;
}

/// Channels in which the modes stand out most.
std::vector<std::size_t> strongest(const RecordSpectra& record, const std::vector<const Mode*>& modes) {
  const std::size_t references = record.references.size();
  std::vector<std::pair<double, std::size_t>> ranked;
  std::size_t place = 0;
  for (std::size_t c = 0; c < record.values.size(); ++c) {
    if (std::find(record.references.begin(), record.references.end(), c) != record.references.end()) continue;
    double most = 0;
    for (const Mode* mode : modes)
      for (std::size_t r = 0; r < std::max<std::size_t>(1, references); ++r) {
        const std::size_t curve = place * std::max<std::size_t>(1, references) + r;
        if (curve < mode->residue.size())
          most = std::max(most, std::abs(mode->residue[curve]) / std::max(mode->residue_std[curve], 1e-300));
      }
    ++place;
    ranked.push_back({-most, c});
  }
  std::sort(ranked.begin(), ranked.end());
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < std::min(most_channels, ranked.size()); ++i) out.push_back(ranked[i].second);
  return out;
}

RecordMode as_given(const Mode& mode) {
  return {mode.pole(), mode.frequency_std_hz, mode.damping_std, 0, false};
}

std::vector<RecordMode> refine_group(const RecordSpectra& record, const std::vector<const Mode*>& modes,
                                     const std::vector<Complex>& others, std::size_t from, std::size_t to) {
  std::vector<Complex> poles;
  for (const Mode* mode : modes) poles.push_back(mode->pole());
  std::vector<RecordMode> out;
  Eigen::Index terms = 4;
  RecordBand fit(record, strongest(record, modes), from, to, others, terms);
  if (!fit.enough(poles.size())) {
    for (const Mode* mode : modes) out.push_back(as_given(*mode));
    return out;
  }
  RecordBand::State state = fit.settle(poles);
  fit.weigh(state, poles.size());
  state = fit.settle(poles);
  // What else is in the band, as bent as it is: filters, delays, resonances far off.
  while (terms < 12) {
    RecordBand richer = fit;
    richer.set_terms(terms + 2);
    std::vector<Complex> moved = poles;
    if (!richer.enough(poles.size())) break;
    RecordBand::State bent = richer.settle(moved);
    if (gain(state, bent) < richer.price_of_terms(2)) break;
    terms += 2, fit = std::move(richer), poles = std::move(moved), state = std::move(bent);
  }
  while (poles.size() < modes.size() + 2 && part(fit, poles, state)) {
  }
  // What the likelihood does not ask for goes, the least wanted first.
  for (;;) {
    std::size_t worst = poles.size();
    double least = 1;
    for (std::size_t i = 0; i < poles.size(); ++i) {
      std::vector<Complex> fewer = poles;
      fewer.erase(fewer.begin() + static_cast<std::ptrdiff_t>(i));
      const RecordBand::State without = fewer.empty() ? fit.at(fewer, false) : fit.settle(fewer, 12);
      const double asked = gain(without, state) / price_of_pole(fit);
      if (asked < least) least = asked, worst = i;
    }
    if (worst == poles.size()) break;
    poles.erase(poles.begin() + static_cast<std::ptrdiff_t>(worst));
    if (poles.empty()) return out;
    state = fit.settle(poles);
  }
  fit.weigh(state, poles.size());
  state = fit.settle(poles);
  const double free =
      static_cast<double>((fit.rows() - fit.unknowns(poles.size()))) * static_cast<double>(fit.channels());
  const double scale = state.squares / free * fit.alike(state);
  const auto m = static_cast<Eigen::Index>(poles.size());
  // What the choice of terms for the rest of the band makes of the poles.
  std::vector<Complex> bent = poles;
  RecordBand richer = fit;
  richer.set_terms(terms + 2);
  if (richer.enough(poles.size())) richer.settle(bent);
  const ComplexMatrix covariance =
      solve_symmetric(state.normal, ComplexMatrix(ComplexMatrix::Identity(m, m)));
  for (std::size_t i = 0; i < poles.size(); ++i) {
    const auto n = static_cast<Eigen::Index>(i);
    // Of each part; a circle, so that along and across the pole are alike.
    const double std =
        std::sqrt(std::max(0.0, covariance(n, n).real()) * scale / 2 + std::norm(bent[i] - poles[i]) / 4);
    const double w = std::abs(poles[i]);
    if (-poles[i].real() > most_damping * w) continue;
    out.push_back({poles[i], std / two_pi, std * std::sqrt(1 - std::pow(poles[i].real() / w, 2)) / w,
                   static_cast<std::size_t>(fit.rows()), true});
  }
  return out;
}

/// All modes once, those near each other together; what is held beside them stands where `modes` has it.
std::vector<RecordMode> refine_once(const RecordSpectra& record, const std::vector<Mode>& modes,
                                    double low_hz, double high_hz) {
  const double bin = record.bin_hz();
  const double lowest = std::max(bin, low_hz - 0.02 * (high_hz - low_hz)), highest = high_hz;
  std::vector<const Mode*> sorted;
  for (const Mode& mode : modes) sorted.push_back(&mode);
  std::sort(sorted.begin(), sorted.end(),
            [](const Mode* a, const Mode* b) { return a->frequency_hz < b->frequency_hz; });
  const auto width = [](const Mode* m) { return width_of(m->pole()); };
  std::vector<RecordMode> out;
  for (std::size_t first = 0; first < sorted.size();) {
    // Neighbours whose flanks meet are fitted together.
    std::size_t end = first + 1;
    while (end < sorted.size() && end - first < 6 &&
           sorted[end]->frequency_hz - sorted[end - 1]->frequency_hz <
               4 * (width(sorted[end]) + width(sorted[end - 1])) + 12 * bin)
      ++end;
    const std::vector<const Mode*> group(sorted.begin() + static_cast<std::ptrdiff_t>(first),
                                         sorted.begin() + static_cast<std::ptrdiff_t>(end));
    double from = highest, to = lowest;
    for (const Mode* mode : group) {
      const double reach = std::max(5 * width(mode), 40 * bin);
      from = std::min(from, mode->frequency_hz - reach), to = std::max(to, mode->frequency_hz + reach);
    }
    from = std::max(from, lowest), to = std::min(to, highest);
    // What stands near by is held, and so are the mirror images of wide modes, which stand at minus their
    // frequency.
    std::vector<Complex> others;
    for (std::size_t i = 0; i < sorted.size(); ++i) {
      const Complex p = sorted[i]->pole();
      const bool within = i >= first && i < end;
      const double margin = to - from;
      if (!within && hz_of(p) > from - margin && hz_of(p) < to + margin) others.push_back(p);
      if (within && from < 3 * width(sorted[i])) others.push_back(std::conj(p));
    }
    const auto low = static_cast<std::size_t>(std::max(1.0, std::ceil(from / bin)));
    const auto high = std::min(record.bins() - 1, static_cast<std::size_t>(std::max(0.0, to / bin)));
    if (high <= low)
      for (const Mode* mode : group) out.push_back(as_given(*mode));
    else
      for (const RecordMode& mode : refine_group(record, group, others, low, high)) out.push_back(mode);
    first = end;
  }
  return out;
}

/// The modes as the next look begins with them: each at its new place, with the residues of the old one
/// nearest to it; of two that came to the same place the first alone.
std::vector<Mode> moved(const std::vector<RecordMode>& refined, const std::vector<Mode>& before,
                        bool& changed) {
  std::vector<Mode> out;
  changed = refined.size() != before.size();
  for (const RecordMode& mode : refined) {
    const double hz = hz_of(mode.pole), width = width_of(mode.pole);
    const Mode* nearest = &before.front();
    for (const Mode& old : before)
      if (std::abs(old.frequency_hz - hz) < std::abs(nearest->frequency_hz - hz)) nearest = &old;
    Mode next = *nearest;
    next.frequency_hz = hz, next.damping = width / hz;
    next.frequency_std_hz = mode.frequency_std_hz, next.damping_std = mode.damping_std;
    changed = changed || std::abs(nearest->pole() - mode.pole) > two_pi * width / 4;
    bool there = false;
    for (const Mode& other : out) there = there || std::abs(other.pole() - mode.pole) < two_pi * width / 5;
    if (there)
      changed = true;
    else
      out.push_back(next);
  }
  return out;
}

}  // namespace

std::vector<RecordMode> refine_on_record(const RecordSpectra& record, const std::vector<Mode>& modes,
                                         double low_hz, double high_hz) {
  std::vector<RecordMode> out = refine_once(record, modes, low_hz, high_hz);
  std::vector<Mode> before = modes;
  for (int look = 0; look < 3 && !out.empty(); ++look) {
    bool changed = false;
    before = moved(out, before, changed);
    if (!changed) break;
    out = refine_once(record, before, low_hz, high_hz);
  }
  // What ran out of the band, or does not decay, is no resonance of it.
  std::erase_if(out, [&](const RecordMode& mode) {
    const double hz = hz_of(mode.pole);
    return !(hz <= high_hz * (1 + 1e-9)) || !(hz >= low_hz * (1 - 1e-9)) || !(width_of(mode.pole) > 0);
  });
  std::sort(out.begin(), out.end(),
            [](const RecordMode& a, const RecordMode& b) { return std::abs(a.pole) < std::abs(b.pole); });
  return out;
}

}  // namespace vprism
