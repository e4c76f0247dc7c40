// record_modes.cpp: see record_modes.h.
//
// Linear in A, B, P, Q: those are projected out (QR), and the poles go by Gauss-Newton on what is left, all
// complex: a pole's column changes by (A X + B) / (i w - s)^2 times the pole's change (variable projection,
// Kaufman 1975). With rows in standard errors, complex noise of variance 1 gives the poles the covariance
// (J^H J)^-1, half of it in each part.
#include "identify/record_modes.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/linear.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
constexpr double two_pi = 2 * std::numbers::pi;
constexpr std::size_t most_channels = 8, run = 32;
constexpr double most_damping = 0.5;  ///< Above it nothing stands out that could be called a resonance.

double width_of(Complex pole) { return -pole.real() / two_pi; }  ///< Half of the half-power width, in Hz.
double hz_of(Complex pole) { return std::abs(pole) / two_pi; }

/// The bins of one stretch, and the channels that are fitted there.
class BandFit {
 public:
  BandFit(const RecordSpectra& record, std::vector<std::size_t> channels, std::size_t from, std::size_t to,
          std::vector<Complex> others, Eigen::Index terms)
      : record_(&record), channels_(std::move(channels)), others_(std::move(others)), terms_(terms) {
    // Where there are more bins than are needed: runs of them, so that lines of a repeating excitation and
    // what lies between them are both seen.
    const std::size_t most = std::clamp<std::size_t>(16000 / channels_.size(), 800, 4000);
    const std::size_t every = (to - from + most - 1) / most;
    for (std::size_t k = from; k < to; ++k)
      if ((k / run) % every == 0) bins_.push_back(k);
    middle_ = static_cast<double>(from + to) / 2, half_ = static_cast<double>(to - from) / 2;
    for (const std::size_t c : channels_) {
      ComplexVector y(rows());
      for (Eigen::Index n = 0; n < rows(); ++n) y(n) = record.values[c][bins_[static_cast<std::size_t>(n)]];
      data_.push_back(std::move(y));
      weight_.push_back(Vector::Ones(rows()));
    }
  }

  Eigen::Index rows() const { return static_cast<Eigen::Index>(bins_.size()); }
  Eigen::Index unknowns(std::size_t poles) const {
    const auto each = static_cast<Eigen::Index>(poles + others_.size()) + terms_;
    return each * static_cast<Eigen::Index>(record_->references.size() + 1);
  }
  void set_terms(Eigen::Index terms) { terms_ = terms; }
  /// What the likelihood must rise by for `more` unknowns of each of `sets` transfers in each channel: twice
  /// its logarithm, by BIC.
  double price(double more, double sets) const {
    const auto channels = static_cast<double>(channels_.size());
    return 2 * more * sets * channels * std::log(2 * static_cast<double>(rows()) * channels);
  }
  double price_of_terms(double more) const {
    return price(more, static_cast<double>(record_->references.size() + 1));
  }
  bool enough(std::size_t poles) const { return rows() > 2 * unknowns(poles + 1); }
  std::size_t channels() const { return channels_.size(); }

  struct State {
    double squares = 0;      ///< In standard errors, of all channels.
    double log_squares = 0;  ///< Sum of rows times the logarithm of each channel's squares.
    double all = 0;          ///< Squares of the data, as `squares`.
    ComplexMatrix normal;
    ComplexVector gradient;
    std::vector<ComplexVector> left;
  };

  State at(const std::vector<Complex>& poles, bool slopes) const {
    const ComplexMatrix phi = basis(poles);
    const auto m = static_cast<Eigen::Index>(poles.size());
    std::vector<State> parts(channels_.size());
    oneapi::tbb::parallel_for(std::size_t{0}, channels_.size(), [&](std::size_t c) {
      State& out = parts[c];
      ComplexMatrix used = weight_[c].asDiagonal() * phi;
      const Vector size = used.colwise().norm().cwiseMax(1e-300);
      used = used * size.cwiseInverse().asDiagonal();
      const ComplexQr qr(used);
      const ComplexVector y = weight_[c].asDiagonal() * data_[c];
      const ComplexVector x = qr.solve(y);
      const ComplexVector left = y - product(used, ComplexMatrix(x)).col(0);
      out.squares = left.squaredNorm();
      out.all = y.squaredNorm();
      out.log_squares = static_cast<double>(rows()) * std::log(std::max(out.squares, 1e-300));
      out.left = {left};
      if (!slopes) return;
      ComplexMatrix j(rows(), m);
      const ComplexVector own = size.cwiseInverse().asDiagonal() * x;
      for (Eigen::Index n = 0; n < rows(); ++n)
        for (Eigen::Index i = 0; i < m; ++i) {
          const Complex p = poles[static_cast<std::size_t>(i)], away = s_of(n) - p;
          Complex sum = 0;
          for (Eigen::Index r = 0; r <= static_cast<Eigen::Index>(record_->references.size()); ++r)
            sum += own(first_of(r, poles.size()) + i) * drive(r, n);
          j(n, i) = -weight_[c](n) * sum * p.real() / (away * away);
        }
      ComplexMatrix turned = qr.turned(j);
      ComplexVector rest = qr.turned(left);
      turned.topRows(qr.rank()).setZero(), rest.head(qr.rank()).setZero();
      out.normal = turned_product(turned, turned);
      out.gradient = turned_product(turned, ComplexMatrix(rest)).col(0);
    });
    State out;
    if (slopes) out.normal = ComplexMatrix::Zero(m, m), out.gradient = ComplexVector::Zero(m);
    for (State& part : parts) {
      out.squares += part.squares, out.log_squares += part.log_squares, out.all += part.all;
      if (slopes) out.normal += part.normal, out.gradient += part.gradient;
      out.left.push_back(std::move(part.left.front()));
    }
    return out;
  }

  /// Poles to where the squares are least.
  State settle(std::vector<Complex>& poles) const {
    State state = at(poles, true);
    double damping = 1e-6;
    for (int step = 0; step < 30 && damping < 1e6; ++step) {
      ComplexMatrix normal = state.normal;
      normal.diagonal() *= 1 + damping;
      normal.diagonal().array() += 1e-300;
      const ComplexVector change = solve_symmetric(normal, ComplexMatrix(state.gradient)).col(0);
      std::vector<Complex> trial = poles;
      double moved = 0;
      bool inside = change.allFinite();
      for (std::size_t i = 0; i < poles.size() && inside; ++i) {
        Complex by = change(static_cast<Eigen::Index>(i));
        const double most = 0.5 * std::abs(poles[i].real());
        if (std::abs(by) > most) by *= most / std::abs(by);
        trial[i] += by;
        moved = std::max(moved, std::abs(by) / std::abs(poles[i].real()));
        inside = trial[i].real() < 0 && trial[i].imag() > 0;
      }
      State next;
      if (inside) next = at(trial, true);
      if (inside && next.squares <= state.squares) {
        poles = trial, state = std::move(next), damping = std::max(damping / 10, 1e-12);
        if (moved < 1e-7) break;
      } else {
        damping *= 10;
      }
    }
    return state;
  }

  /// Rows in standard errors of what a fit leaves, smoothed over the frequencies.
  void weigh(const State& state, std::size_t poles) {
    const double share = static_cast<double>(rows()) / static_cast<double>(rows() - unknowns(poles));
    const Eigen::Index reach = std::max<Eigen::Index>(12, rows() / 24);
    for (std::size_t c = 0; c < channels_.size(); ++c) {
      Vector sums(rows() + 1);
      sums(0) = 0;
      for (Eigen::Index n = 0; n < rows(); ++n)
        sums(n + 1) = sums(n) + std::norm(state.left[c](n)) / (weight_[c](n) * weight_[c](n));
      const double all = sums(rows()) / static_cast<double>(rows());
      for (Eigen::Index n = 0; n < rows(); ++n) {
        const Eigen::Index low = std::max<Eigen::Index>(0, n - reach), high = std::min(rows(), n + reach + 1);
        const double near = (sums(high) - sums(low)) / static_cast<double>(high - low);
        weight_[c](n) = 1 / std::sqrt(std::max({near, 0.05 * all, 1e-300}) * share);
      }
    }
  }

  /// How many neighbouring bins stand for one in what a fit leaves.
  double alike(const State& state) const {
    double most = 1;
    for (const ComplexVector& left : state.left) {
      double sum = 1;
      const double all = left.squaredNorm(), chance = 2 / std::sqrt(static_cast<double>(rows()));
      for (Eigen::Index lag = 1; lag <= 8; ++lag) {
        const Complex both = left.head(rows() - lag).dot(left.tail(rows() - lag));
        const double like = all > 0 ? std::abs(both) / all : 0;
        if (like < chance) break;
        sum += 2 * like;
      }
      most = std::max(most, sum);
    }
    return most;
  }

 private:
  Complex s_of(Eigen::Index n) const {
    return {0, two_pi * static_cast<double>(bins_[static_cast<std::size_t>(n)]) * record_->bin_hz()};
  }
  /// What a transfer is driven by: reference r, or, behind the last, what stands alone.
  Complex drive(Eigen::Index r, Eigen::Index n) const {
    const auto i = static_cast<std::size_t>(r);
    return i == record_->references.size()
               ? Complex(1)
               : record_->values[record_->references[i]][bins_[static_cast<std::size_t>(n)]];
  }
  /// Column of the first free pole under reference r.
  Eigen::Index first_of(Eigen::Index r, std::size_t poles) const {
    return r * (static_cast<Eigen::Index>(poles + others_.size()) + terms_);
  }
  ComplexMatrix basis(const std::vector<Complex>& poles) const {
    ComplexMatrix phi(rows(), unknowns(poles.size()));
    std::vector<Complex> all = poles;
    all.insert(all.end(), others_.begin(), others_.end());
    for (Eigen::Index n = 0; n < rows(); ++n) {
      const double u = (static_cast<double>(bins_[static_cast<std::size_t>(n)]) - middle_) / half_;
      for (Eigen::Index r = 0; r <= static_cast<Eigen::Index>(record_->references.size()); ++r) {
        const Complex x = drive(r, n);
        Eigen::Index column = first_of(r, poles.size());
        for (const Complex p : all) phi(n, column++) = -p.real() / (s_of(n) - p) * x;
        // Legendre's polynomials.
        double before = 0, here = 1;
        for (Eigen::Index q = 0; q < terms_; ++q) {
          phi(n, column++) = here * x;
          const double next =
              ((2 * static_cast<double>(q) + 1) * u * here - static_cast<double>(q) * before) /
              (static_cast<double>(q) + 1);
          before = here, here = next;
        }
      }
    }
    return phi;
  }

  const RecordSpectra* record_;
  std::vector<std::size_t> channels_, bins_;
  std::vector<Complex> others_;
  Eigen::Index terms_;
  double middle_ = 0, half_ = 1;
  std::vector<ComplexVector> data_;
  std::vector<Vector> weight_;
};

/// Twice the rise of the log-likelihood from one fit to another; none where both leave next to nothing, which
/// is rounding and what the polynomials can't follow.
double gain(const BandFit::State& poor, const BandFit::State& rich) {
  return poor.squares - rich.squares > 1e-7 * rich.all ? 2 * (poor.log_squares - rich.log_squares) : 0;
}
/// A pole, its residues with them, and half as much again, since its place was searched for.
double price_of_pole(const BandFit& fit) {
  return 1.5 * (fit.price_of_terms(1) + fit.price(1, 1) / static_cast<double>(fit.channels()));
}

/// One pole as two: apart in frequency, or in damping alone; nothing where the likelihood does not ask for
/// it.
bool part(const BandFit& fit, std::vector<Complex>& poles, BandFit::State& state) {
  for (std::size_t i = 0; i < poles.size(); ++i) {
    for (const double apart : {0.6, 1.5}) {
      std::vector<Complex> trial = poles;
      const double half = std::abs(poles[i].real());
      trial[i] += Complex(0.3 * half, apart * half);
      trial.push_back(poles[i] + Complex(0.3 * half, -apart * half));
      if (!fit.enough(trial.size())) continue;
      BandFit::State two = fit.settle(trial);
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
  BandFit fit(record, strongest(record, modes), from, to, others, terms);
  if (!fit.enough(poles.size())) {
    for (const Mode* mode : modes) out.push_back(as_given(*mode));
    return out;
  }
  BandFit::State state = fit.settle(poles);
  fit.weigh(state, poles.size());
  state = fit.settle(poles);
  // What else is in the band, as bent as it is: filters, delays, resonances far off.
  while (terms < 12) {
    BandFit richer = fit;
    richer.set_terms(terms + 2);
    std::vector<Complex> moved = poles;
    if (!richer.enough(poles.size())) break;
    BandFit::State bent = richer.settle(moved);
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
      const BandFit::State without = fewer.empty() ? fit.at(fewer, false) : fit.settle(fewer);
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
  BandFit richer = fit;
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
  std::sort(out.begin(), out.end(),
            [](const RecordMode& a, const RecordMode& b) { return std::abs(a.pole) < std::abs(b.pole); });
  return out;
}

}  // namespace vprism
