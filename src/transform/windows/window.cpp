// window.cpp: cosine-sum windows by their published coefficients, others by their formulas; u = 2 n / N - 1.
//
//   bartlett          1 - |u|
//   hann, hamming     Harris, Proc. IEEE 66 (1978) 51-83; hamming with 0.54, 0.46
//   blackman          0.42, 0.5, 0.08 (the same paper)
//   blackman-harris   the 4-term minimum of the same paper (-92 dB)
//   nuttall           4 terms, -98 dB: Nuttall, IEEE Trans. ASSP 29 (1981) 84-91
//   flat-top          five terms: ISO 18431-2:2004 with the digits of D'Antona & Ferrero, Digital Signal
//                     Processing for Measurement Systems (2006)
//   flat-top-narrow   four terms, -70 dB: Heinzel, Ruediger & Schilling, Spectrum and spectral density
//                     estimation by the DFT (2002), appendix
//   kaiser(b)         I0(b sqrt(1 - u^2)) / I0(b); Kaiser & Schafer, IEEE Trans. ASSP 28 (1980) 105-107
//   tukey(a)          1 up to |u| = 1 - a, then a cosine down to 0 (Harris)
//   gaussian(a)       exp(-(a u)^2 / 2) (Harris)
#include "transform/windows/window.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"
#include "transform/windows/tapers.h"

namespace vprism {

namespace {

using std::numbers::pi;

}  // namespace

const std::vector<WindowEntry>& window_table() {
  static const std::vector<WindowEntry> table = [] {
    const std::vector<double> flat = {0.21557895, 0.41663158, 0.277263158, 0.083578947, 0.006947368};
    // Heinzel's coefficients are relative to the first.
    const double scale = 1 / (1 + 1.90796 + 1.07349 + 0.18199);
    const std::vector<double> narrow = {scale, 1.90796 * scale, 1.07349 * scale, 0.18199 * scale};
    return std::vector<WindowEntry>{
        {WindowKind::rectangular,
         "rectangular",
         false,
         0,
         0,
         0,
         "no weighting: whole periods, transients",
         {1}},
        {WindowKind::bartlett,
         "bartlett",
         false,
         0,
         0,
         0,
         "a triangle, where a paper or a standard asks for it",
         {}},
        {WindowKind::hann,
         "hann",
         false,
         0,
         0,
         0,
         "all-round: good resolution, quickly falling side lobes",
         {0.5, 0.5}},
        {WindowKind::hamming,
         "hamming",
         false,
         0,
         0,
         0,
         "lower first side lobe, slowly falling ones",
         {0.54, 0.46}},
        {WindowKind::blackman,
         "blackman",
         false,
         0,
         0,
         0,
         "between hann and blackman-harris",
         {0.42, 0.5, 0.08}},
        {WindowKind::blackman_harris,
         "blackman-harris",
         false,
         0,
         0,
         0,
         "weak tones beside strong ones",
         {0.35875, 0.48829, 0.14128, 0.01168}},
        {WindowKind::nuttall,
         "nuttall",
         false,
         0,
         0,
         0,
         "the same, side lobes 6 dB lower",
         {0.3635819, 0.4891775, 0.1365995, 0.0106411}},
        {WindowKind::flat_top, "flat-top", false, 0, 0, 0, "levels read straight from the bins", flat},
        {WindowKind::flat_top_narrow, "flat-top-narrow", false, 0, 0, 0,
         "the same with a narrower main lobe and higher side lobes", narrow},
        {WindowKind::kaiser, "kaiser", true, 9, 0, 40, "side lobes against width as the parameter says", {}},
        {WindowKind::tukey, "tukey", true, 0.5, 0, 1, "flat, with cosine ends of that share: transients", {}},
        {WindowKind::gaussian, "gaussian", true, 3, 0.5, 10, "smooth; falls to exp(-a^2/2) at the ends", {}},
        {WindowKind::slepian,
         "slepian",
         true,
         4,
         0.5,
         20,
         "least energy beyond so many bins: the first of the multitapers",
         {}},
        {WindowKind::exponential,
         "exponential",
         true,
         1,
         0.001,
         99,
         "responses to a blow: falls to so many percent at the end",
         {}},
    };
  }();
  return table;
}

const WindowEntry& window_entry(WindowKind kind) {
  return *std::find_if(window_table().begin(), window_table().end(),
                       [&](const WindowEntry& e) { return e.kind == kind; });
}

std::string Window::name() const {
  const WindowEntry& entry = window_entry(kind);
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
    if (!entry.has_parameter)
      throw Error(Status::usage, "the window \"" + std::string(name) + "\" takes no parameter");
    window.parameter = parse_leading_number(text.substr(open + 1), rest);
    if (rest != ")")
      throw Error(Status::usage, "\"" + clean_text(text) + "\": write the parameter as " + entry.name + "(" +
                                     format_number(entry.parameter) + ")");
    if (!(window.parameter >= entry.least && window.parameter <= entry.most))
      throw Error(Status::usage, "the parameter of " + std::string(name) + " must lie in " +
                                     format_number(entry.least) + ".." + format_number(entry.most));
    return window;
  }
  throw Error(Status::usage, unknown_name("window", text, names));
}

namespace {

/// Windows that are no sums of cosines, at u = -1 .. 1.
double shape(const Window& window, double u) {
  const double a = window.parameter;
  switch (window.kind) {
    case WindowKind::kaiser:
      return std::cyl_bessel_i(0, a * std::sqrt(std::max(0.0, 1 - u * u))) / std::cyl_bessel_i(0, a);
    case WindowKind::tukey: {
      const double past = std::abs(u) - (1 - a);
      return past <= 0 ? 1 : 0.5 + 0.5 * std::cos(pi * past / a);
    }
    case WindowKind::gaussian:
      return std::exp(-0.5 * a * a * u * u);
    case WindowKind::exponential:
      return std::exp(-std::log(100 / a) * (u + 1) / 2);
    default:
      return 1 - std::abs(u);
  }
}

}  // namespace

std::vector<double> make_window(const Window& window, std::size_t size) {
  if (window.kind == WindowKind::slepian) {
    // The symmetric one of a sample more, without its last.
    std::vector<double> taper = prolate_tapers(size + 1, window.parameter, 1)[0];
    taper.pop_back();
    const double top = *std::max_element(taper.begin(), taper.end());
    for (double& x : taper) x /= top;
    return taper;
  }
  std::vector<double> w(size);
  constexpr std::size_t part = 1 << 16;
  oneapi::tbb::parallel_for(std::size_t{0}, (size + part - 1) / part, [&](std::size_t i) {
    make_window_part(window, size, i * part, std::min(part, size - i * part), w.data() + i * part);
  });
  return w;
}

void make_window_part(const Window& window, std::size_t size, std::size_t from, std::size_t count,
                      double* out) {
  const WindowEntry& entry = window_entry(window.kind);
  const auto all = static_cast<double>(size);
  if (entry.terms.empty()) {
    for (std::size_t n = 0; n < count; ++n)
      out[n] = shape(window, 2 * static_cast<double>(from + n) / all - 1);
    return;
  }
  // Sum of (-1)^m a_m cos(m t) by Clenshaw's recurrence; cos t itself is turned on in short runs.
  const double step = 2 * pi / all, turn_cos = std::cos(step), turn_sin = std::sin(step);
  double cosine = 0, sine = 0;
  for (std::size_t n = 0; n < count; ++n) {
    if (n % 64 == 0) {
      const double angle = 2 * pi * (static_cast<double>(from + n) / all);
      cosine = std::cos(angle), sine = std::sin(angle);
    }
    double now = 0, before = 0;
    for (std::size_t m = entry.terms.size(); m-- > 1;) {
      const double next = (m % 2 == 0 ? 1 : -1) * entry.terms[m] + 2 * cosine * now - before;
      before = now, now = next;
    }
    out[n] = entry.terms[0] + cosine * now - before;
    const double turned = cosine * turn_cos - sine * turn_sin;
    sine = cosine * turn_sin + sine * turn_cos;
    cosine = turned;
  }
}

std::pair<double, double> window_sums(const Window& window, std::size_t size) {
  const std::vector<double>& terms = window_entry(window.kind).terms;
  const auto all = static_cast<double>(size);
  double sum = 0, square = 0;
  if (!terms.empty() && size > 2 * terms.size()) {
    // Cosines of whole periods add up to nothing, their squares to a half each.
    for (std::size_t m = 0; m < terms.size(); ++m) square += terms[m] * terms[m] * (m == 0 ? 1 : 0.5);
    return {all * terms[0], all * square};
  }
  for (const double w : make_window(window, size)) sum += w, square += w * w;
  return {sum, square};
}

std::vector<double> centred_hann(std::size_t count) {
  std::vector<double> out(count);
  for (std::size_t n = 0; n < count; ++n)
    out[n] = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(n) + 0.5) /
                                  static_cast<double>(count));
  return out;
}

}  // namespace vprism
