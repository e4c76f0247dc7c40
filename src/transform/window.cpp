// window.cpp: cosine-sum windows by their published coefficients, Kaiser by its Bessel function.
//
//   hann, hamming                Harris, Proc. IEEE 66 (1978) 51-83; hamming with 0.54, 0.46
//   blackman-harris              the 4-term minimum of the same paper (-92 dB)
//   flat-top                     five terms, least scalloping of its kind, ISO 18431-2:2004 (coefficients divided by their sum)
//   kaiser(b)                    I0(b sqrt(1 - u^2)) / I0(b), u = 2 n / N - 1; Kaiser & Schafer, IEEE Trans. ASSP 28 (1980) 105-107
#include "transform/window.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/quantity.h"
#include "base/text.h"

namespace vprism {

namespace {

constexpr double pi = std::numbers::pi;

const WindowEntry& entry_of(WindowKind kind) {
  return *std::find_if(window_table().begin(), window_table().end(), [&](const WindowEntry& e) { return e.kind == kind; });
}

/// Transform about the centre of N ones, divided by N: sin(pi x) cos(pi x / N) / (N sin(pi x / N)).
double kernel(double x, double size) {
  const double nearest = size * std::round(x / size);
  if (std::abs(x - nearest) < 1e-9) return std::fmod(std::abs(nearest), 2) == 1 ? -1 : 1;
  return std::sin(pi * x) * std::cos(pi * x / size) / (size * std::sin(pi * x / size));
}

}  // namespace

const std::vector<WindowEntry>& window_table() {
  static const std::vector<WindowEntry> table = [] {
    std::vector<double> flat = {1, 1.933, 1.286, 0.388, 0.0322};
    double sum = 0;
    for (const double a : flat) sum += a;
    for (double& a : flat) a /= sum;
    return std::vector<WindowEntry>{
        {WindowKind::rectangular, "rectangular", false, 0, 0, 0, "no weighting: whole periods, transients", {1}},
        {WindowKind::hann, "hann", false, 0, 0, 0, "all-round: good resolution, quickly falling side lobes", {0.5, 0.5}},
        {WindowKind::hamming, "hamming", false, 0, 0, 0, "lower first side lobe, slowly falling ones", {0.54, 0.46}},
        {WindowKind::blackman_harris, "blackman-harris", false, 0, 0, 0, "weak tones beside strong ones", {0.35875, 0.48829, 0.14128, 0.01168}},
        {WindowKind::flat_top, "flat-top", false, 0, 0, 0, "levels read straight from the bins", flat},
        {WindowKind::kaiser, "kaiser", true, 9, 0, 40, "side lobes against width as beta says", {}},
    };
  }();
  return table;
}

std::string Window::name() const {
  const WindowEntry& entry = entry_of(kind);
  return entry.has_parameter ? std::string(entry.name) + "(" + format_number(parameter) + ")" : entry.name;
}

Window parse_window(std::string_view text) {
  const std::string_view name = trimmed(text.substr(0, text.find('(')));
  std::vector<std::string> names;
  for (const WindowEntry& entry : window_table()) {
    names.emplace_back(entry.name);
    if (name != entry.name) continue;
    Window window{entry.kind, entry.parameter};
    if (name.size() == text.size()) return window;
    std::string_view rest;
    const std::size_t open = text.find('(');
    if (!entry.has_parameter) throw Error(Status::usage, "the window \"" + std::string(name) + "\" takes no parameter");
    window.parameter = parse_leading_number(text.substr(open + 1), rest);
    if (rest != ")") throw Error(Status::usage, "\"" + clean_text(text) + "\": write the parameter as " + entry.name + "(" + format_number(entry.parameter) + ")");
    if (!(window.parameter >= entry.least && window.parameter <= entry.most))
      throw Error(Status::usage, "the parameter of " + std::string(name) + " must lie in " + format_number(entry.least) + ".." + format_number(entry.most));
    return window;
  }
  throw Error(Status::usage, unknown_name("window", text, names));
}

std::vector<double> make_window(const Window& window, std::size_t size) {
  const WindowEntry& entry = entry_of(window.kind);
  std::vector<double> w(size);
  const auto n_all = static_cast<double>(size);
  for (std::size_t n = 0; n < size; ++n) {
    const auto x = static_cast<double>(n);
    if (window.kind == WindowKind::kaiser) {
      const double u = 2 * x / n_all - 1;
      w[n] = std::cyl_bessel_i(0, window.parameter * std::sqrt(std::max(0.0, 1 - u * u))) / std::cyl_bessel_i(0, window.parameter);
      continue;
    }
    double sum = 0;
    for (std::size_t m = 0; m < entry.terms.size(); ++m) sum += (m % 2 == 0 ? 1 : -1) * entry.terms[m] * std::cos(2 * pi * static_cast<double>(m) * x / n_all);
    w[n] = sum;
  }
  return w;
}

WindowTransform::WindowTransform(const Window& window, std::size_t size) : size_(static_cast<double>(size)), terms_(entry_of(window.kind).terms) {
  if (!terms_.empty()) {
    const double gain = terms_[0];
    for (double& a : terms_) a /= gain;
    return;
  }
  std::size_t count = std::min<std::size_t>(size, 4096);
  count += count % 2;  // A sample in the centre.
  size_ = static_cast<double>(count);
  const std::vector<double> w = make_window(window, count);
  double sum = 0;
  for (const double x : w) sum += x;
  half_.resize(count / 2 + 1);
  for (std::size_t n = 0; n <= count / 2; ++n) half_[n] = (n == 0 || n == count / 2 ? 1 : 2) * w[count / 2 - n] / sum;
}

double WindowTransform::operator()(double bins) const {
  if (!terms_.empty()) {
    double sum = terms_[0] * kernel(bins, size_);
    for (std::size_t m = 1; m < terms_.size(); ++m) {
      const auto shift = static_cast<double>(m);
      sum += terms_[m] / 2 * (kernel(bins - shift, size_) + kernel(bins + shift, size_));
    }
    return sum;
  }
  // cos(n a) by its three-term recurrence.
  const double a = 2 * pi * bins / size_;
  const double twice = 2 * std::cos(a);
  double before = std::cos(a), now = 1, sum = 0;
  for (const double w : half_) {
    sum += w * now;
    const double next = twice * now - before;
    before = now;
    now = next;
  }
  return sum;
}

double WindowTransform::slope(double bins) const {
  constexpr double h = 1e-4;
  return ((*this)(bins + h) - (*this)(bins - h)) / (2 * h);
}

WindowFigures window_figures(const Window& window) {
  constexpr std::size_t size = 4096;
  const std::vector<double> w = make_window(window, size);
  double sum = 0, square = 0;
  for (const double x : w) sum += x, square += x * x;
  WindowFigures figures;
  figures.coherent_gain = sum / size;
  figures.enbw_bins = size * square / (sum * sum);
  const WindowTransform transform(window, size);
  figures.scalloping_db = 20 * std::log10(std::abs(transform(0.5)));
  // The main lobe ends at the first least level; the highest side lobe is looked for in 300 bins beyond, finely.
  constexpr double step = 1.0 / 64;
  double at = 0.5;
  while (at < 60 && std::abs(transform(at + step)) < std::abs(transform(at))) at += step;
  figures.half_width_bins = at;
  double highest = 0;
  for (double d = at + step; d < 300; d += step) highest = std::max(highest, std::abs(transform(d)));
  figures.sidelobe_db = 20 * std::log10(highest);
  return figures;
}

}  // namespace vprism
