// window_transform.cpp: windows between the bins, and the figures that follow.
#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/machine/clones.h"
#include "base/turned_sine.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

using std::numbers::pi;

/// Transform about the centre of N ones, divided by N: sin(pi x) cos(pi x / N) / (N sin(pi x / N)).
double kernel(double x, double size) {
  const double nearest = size * std::round(x / size);
  if (std::abs(x - nearest) < 1e-9) return std::fmod(std::abs(nearest), 2) == 1 ? -1 : 1;
  return std::sin(pi * x) * std::cos(pi * x / size) / (size * std::sin(pi * x / size));
}

}  // namespace

WindowTransform::WindowTransform(const Window& window, std::size_t size)
    : size_(static_cast<double>(size)), terms_(window_entry(window.kind).terms) {
  if (!terms_.empty()) {
    const double gain = terms_[0];
    for (double& a : terms_) a /= gain;
    return;
  }
  if (window.kind == WindowKind::exponential) {
    decay_ = std::log(100 / window.parameter);
    return;
  }
  std::size_t count = std::min<std::size_t>(size, 4096);
  count += count % 2;  // A sample in the centre.
  size_ = static_cast<double>(count);
  const std::vector<double> w = make_window(window, count);
  double sum = 0;
  for (const double x : w) sum += x;
  half_.resize(count / 2 + 1);
  for (std::size_t n = 0; n <= count / 2; ++n)
    half_[n] = (n == 0 || n == count / 2 ? 1 : 2) * w[count / 2 - n] / sum;
}

namespace {

/// Squares of cot(pi m / N) for m = 0 .. 7, of the size last asked for by this thread.
const double* cotangent_squares(double size) {
  thread_local double known = 0;
  thread_local double squares[8] = {};
  if (known != size) {
    for (int m = 1; m < 8; ++m) squares[m] = std::pow(std::tan(pi * m / size), -2);
    known = size;
  }
  return squares;
}

}  // namespace

double WindowTransform::operator()(double bins) const {
  const auto count = static_cast<double>(terms_.size());
  if (decay_ > 0 || terms_.empty() || terms_.size() > 7) return evaluate(bins).value;
  // Side lobes, of which fits ask for millions: one tangent instead of one for each term. As
  //     cot(a - b) + cot(a + b) = 2 cot a (1 + cot^2 b) / (cot^2 b - cot^2 a)
  // the sum in `evaluate` is cot a times one of these with b = pi m / N.
  if (std::abs(bins - size_ * std::round(bins / size_)) < count + 1) return evaluate(bins).value;
  const double nearest = std::round(bins), off = bins - nearest;
  if (off == 0) return 0;
  const double cotangent = 1 / std::tan(pi * bins / size_), square = cotangent * cotangent;
  const double* const squares = cotangent_squares(size_);
  double sum = terms_[0];
  for (std::size_t m = 1; m < terms_.size(); ++m)
    sum += (m % 2 == 0 ? 1 : -1) * terms_[m] * (1 + squares[m]) / (squares[m] - square);
  const double parity = std::fmod(std::abs(nearest), 2) == 1 ? -1 : 1;
  return parity * std::sin(pi * off) * cotangent * sum / size_;
}

namespace {

/// The sum of `operator()`, sin(pi d) apart, where `c` and `s` are cosine and sine of pi d / N.
VPRISM_WIDE void side_lobes(const double* c, const double* s, const double* terms, const double* squares,
                            std::size_t count, double* out) {
  for (std::size_t k = 0; k < count; ++k) {
    const double cotangent = c[k] / s[k], square = cotangent * cotangent;
    double sum = terms[0];
    for (std::size_t m = 1; m < 7; ++m) sum += terms[m] / (squares[m] - square);
    out[k] = cotangent * sum;
  }
}

}  // namespace

void WindowTransform::run(double first, std::size_t count, double* values) const {
  if (decay_ > 0 || terms_.empty() || terms_.size() > 7) {
    for (std::size_t k = 0; k < count; ++k) values[k] = evaluate(first + static_cast<double>(k)).value;
    return;
  }
  const double nearest = std::round(first), off = first - nearest;
  // Terms that the window has not are 0 over what is never 0.
  double terms[7] = {terms_[0]}, squares[7] = {-1, -1, -1, -1, -1, -1, -1};
  for (std::size_t m = 1; m < terms_.size(); ++m) {
    squares[m] = cotangent_squares(size_)[m];
    terms[m] = (m % 2 == 0 ? 1 : -1) * terms_[m] * (1 + squares[m]);
  }
  const double parity = std::fmod(std::abs(nearest), 2) == 1 ? -1 : 1;
  const double sine = parity * std::sin(pi * off) / size_;
  const TurnedSine turned(pi / size_);
  double c[TurnedSine::block], s[TurnedSine::block];
  const double around = static_cast<double>(terms_.size()) + 1;
  for (std::size_t at = 0; at < count; at += TurnedSine::block) {
    const std::size_t some = std::min(TurnedSine::block, count - at);
    const double from = first + static_cast<double>(at);
    turned.fill(from, some, c, s);
    side_lobes(c, s, terms, squares, some, values + at);
    for (std::size_t k = 0; k < some; ++k) values[at + k] *= (at + k) % 2 == 0 ? sine : -sine;
    // Main lobes lie about the multiples of N.
    const double last = from + static_cast<double>(some - 1);
    for (double lobe = std::ceil((from - around) / size_) * size_; lobe <= last + around; lobe += size_) {
      const double low = std::max(from, from + std::ceil(lobe - around - from));
      for (double d = low; d <= std::min(last, lobe + around); d += 1)
        values[at + static_cast<std::size_t>(d - from + 0.5)] = evaluate(d).value;
    }
  }
}

namespace {

/// Sum of exp(-(decay + 2 pi i d) n / N) over a segment, about its centre, over its value at d = 0.
std::complex<double> falling(double decay, double bins, double size) {
  const std::complex<double> step(decay / size, 2 * pi * bins / size);
  // N steps turn by whole and half turns; taken apart, so that large d keeps its digits.
  const std::complex<double> whole(1 - std::exp(-decay) * std::cos(2 * pi * bins),
                                   std::exp(-decay) * std::sin(2 * pi * bins));
  const std::complex<double> sum = whole / (1.0 - std::exp(-step));
  const double still = (1 - std::exp(-decay)) / (1 - std::exp(-decay / size));
  return sum / still * std::polar(1.0, pi * bins);
}

}  // namespace

double WindowTransform::angle(double bins) const {
  return decay_ == 0 ? 0 : std::arg(falling(decay_, bins, size_));
}

WindowTransform::Point WindowTransform::evaluate(double bins) const {
  if (decay_ > 0) {
    constexpr double h = 1e-5;
    return {
        std::abs(falling(decay_, bins, size_)),
        (std::abs(falling(decay_, bins + h, size_)) - std::abs(falling(decay_, bins - h, size_))) / (2 * h)};
  }
  if (terms_.empty()) return sampled(bins);
  // sum_m t_m kernel(d - m) over m = -M .. M with kernel(x) = sin(pi x) cot(pi x / N) / N, and sin(pi (d -
  // m)) = (-1)^m sin(pi d).
  const double nearest = std::round(bins);
  const double off = bins - nearest;
  const double parity = std::fmod(std::abs(nearest), 2) == 1 ? -1 : 1;
  const double sine = parity * std::sin(pi * off), cosine = parity * std::cos(pi * off);
  const auto count = static_cast<int>(terms_.size());
  double cotangents = 0, squares = 0;
  for (int m = 1 - count; m < count; ++m) {
    const double x = bins - m;
    if (std::abs(std::remainder(x, size_)) < 1e-7) return near_integer(bins);
    const double cotangent = 1 / std::tan(pi * x / size_);
    const double weight =
        (m % 2 == 0 ? 1 : -1) * terms_[static_cast<std::size_t>(std::abs(m))] / (m == 0 ? 1 : 2);
    cotangents += weight * cotangent;
    squares += weight * (1 + cotangent * cotangent);
  }
  return {sine * cotangents / size_, pi * (cosine * cotangents - sine * squares / size_) / size_};
}

WindowTransform::Point WindowTransform::near_integer(double bins) const {
  const auto value = [&](double d) {
    double sum = terms_[0] * kernel(d, size_);
    for (std::size_t m = 1; m < terms_.size(); ++m)
      sum += terms_[m] / 2 *
             (kernel(d - static_cast<double>(m), size_) + kernel(d + static_cast<double>(m), size_));
    return sum;
  };
  constexpr double h = 1e-4;
  return {value(bins), (value(bins + h) - value(bins - h)) / (2 * h)};
}

WindowTransform::Point WindowTransform::sampled(double bins) const {
  // cos(n a) and sin(n a) by their three-term recurrences.
  const double a = 2 * pi * bins / size_;
  const double twice = 2 * std::cos(a);
  double cosine_before = std::cos(a), cosine = 1, sine_before = -std::sin(a), sine = 0;
  Point point{0, 0};
  for (std::size_t n = 0; n < half_.size(); ++n) {
    point.value += half_[n] * cosine;
    point.slope -= half_[n] * static_cast<double>(n) * sine;
    const double next_cosine = twice * cosine - cosine_before, next_sine = twice * sine - sine_before;
    cosine_before = cosine, sine_before = sine;
    cosine = next_cosine, sine = next_sine;
  }
  point.slope *= 2 * pi / size_;
  return point;
}

namespace {

constexpr std::size_t figure_size = 4096;
constexpr double figure_step = 1.0 / 64;

}  // namespace

double window_enbw_bins(const Window& window) {
  const std::vector<double> w = make_window(window, figure_size);
  double sum = 0, square = 0;
  for (const double x : w) sum += x, square += x * x;
  return figure_size * square / (sum * sum);
}

double window_half_width_bins(const Window& window) {
  // The main lobe ends at the first least level; that of an exponential falls for ever, and ends at a tenth.
  const WindowTransform transform(window, figure_size);
  if (!transform.symmetric()) {
    double at = 0.5;
    while (at < 60 && transform(at) > 0.1) at += figure_step;
    return at;
  }
  double at = 0.5;
  while (at < 60 && std::abs(transform(at + figure_step)) < std::abs(transform(at))) at += figure_step;
  return at;
}

double bins_alike(const Window& window) {
  // Noise in bins d apart correlates as the square window's transform does: sum_j R(j) R(j + d) / sum_j
  // R(j)^2.
  const WindowTransform lobe(window, 4096);
  const int reach = std::max(1, static_cast<int>(std::ceil(window_half_width_bins(window))));
  const auto product = [&](int d) {
    double sum = 0;
    for (int j = -reach; j <= reach; ++j)
      if (std::abs(j + d) <= reach) sum += lobe(j) * lobe(j + d);
    return sum;
  };
  const double own = product(0);
  double sum = 0;
  for (int d = -2 * reach; d <= 2 * reach; ++d) sum += std::pow(product(d) / own, 2);
  return sum;
}

WindowFigures window_figures(const Window& window) {
  const std::vector<double> w = make_window(window, figure_size);
  WindowFigures figures;
  for (const double x : w) figures.coherent_gain += x / figure_size;
  figures.enbw_bins = window_enbw_bins(window);
  const WindowTransform transform(window, figure_size);
  figures.scalloping_db = 20 * std::log10(std::abs(transform(0.5)));
  figures.half_width_bins = window_half_width_bins(window);
  // The highest side lobe is looked for in 300 bins, finely.
  double highest = 0;
  for (double d = figures.half_width_bins + figure_step; d < 300; d += figure_step)
    highest = std::max(highest, std::abs(transform(d)));
  figures.sidelobe_db = transform.symmetric() ? 20 * std::log10(highest) : std::nan("");
  // The highest lobes of two octaves far out, apart by one.
  const auto highest_in = [&](double from, double to) {
    double most = 1e-30;
    for (double d = from; d < to; d += figure_step) most = std::max(most, std::abs(transform(d)));
    return most;
  };
  figures.rolloff_db = 20 * std::log10(highest_in(256, 320) / highest_in(128, 160));
  return figures;
}

}  // namespace vprism
