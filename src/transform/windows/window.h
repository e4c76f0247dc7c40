// window.h: windows, their figures, and their transform between the bins.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace vprism {

enum class WindowKind {
  rectangular,
  bartlett,
  hann,
  hamming,
  blackman,
  blackman_harris,
  nuttall,
  flat_top,
  flat_top_narrow,
  kaiser,
  tukey,
  gaussian,
  slepian,
  exponential
};

/// A window with its parameter, if it has one ("kaiser(8.6)": beta).
struct Window {
  WindowKind kind = WindowKind::hann;
  double parameter = 0;
  /// "hann", "kaiser(8.6)".
  std::string name() const;
};

/// One row per window: names, default parameter, what it is good for, and source.
struct WindowEntry {
  WindowKind kind;
  const char* name;
  bool has_parameter;
  double parameter, least, most;  ///< Default and allowed range of the parameter.
  const char* what;
  std::vector<double> terms;  ///< a_m of w[n] = sum_m (-1)^m a_m cos(2 pi m n / N); empty for others.
};
const std::vector<WindowEntry>& window_table();
const WindowEntry& window_entry(WindowKind kind);

/// "hann", "kaiser", "kaiser(12)". Throws Error(usage) with the nearest name.
Window parse_window(std::string_view text);

/// Periodic window of `size` samples: w[n] for n = 0 .. size - 1, w[size] = w[0] left out. Peak 1 at n = size
/// / 2 (exponential: at n = 0).
std::vector<double> make_window(const Window& window, std::size_t size);

/// The same for n = from .. from + count - 1 alone, into `out`; not for slepian, which is known only as a
/// whole.
void make_window_part(const Window& window, std::size_t size, std::size_t from, std::size_t count,
                      double* out);

/// sum(w) and sum(w^2): in closed form for sums of cosines.
std::pair<double, double> window_sums(const Window& window, std::size_t size);

/// Sum of the squared correlations of noise in a bin with that in all bins: how many neighbours tell the
/// same.
double bins_alike(const Window& window);

/// Figures of a window, computed from its samples (Harris 1978, section IV).
struct WindowFigures {
  double coherent_gain = 0;    ///< sum(w) / N
  double enbw_bins = 0;        ///< N sum(w^2) / sum(w)^2
  double scalloping_db = 0;    ///< Level of a tone half-way between two bins, dB (negative).
  double sidelobe_db = 0;      ///< Highest side lobe, dB re main lobe (negative); NaN where there is none.
  double rolloff_db = 0;       ///< Fall of the side lobes far out, dB an octave (negative).
  double half_width_bins = 0;  ///< From the middle of the main lobe to its first null (or least level).
};
WindowFigures window_figures(const Window& window);
/// The two that analyses need, alone and quicker.
double window_enbw_bins(const Window& window);
double window_half_width_bins(const Window& window);

/// 0.5 - 0.5 cos(2 pi (n + 1/2) / count): Hann's, symmetric about the middle of its samples. Two of them half
/// a window apart add up to one.
std::vector<double> centred_hann(std::size_t count);

/// The window's transform about its centre, R(d) = sum_n w[n] cos(2 pi d (n - N/2) / N) / sum_n w[n], at a
/// distance of d bins: real, even, R(0) = 1. The transform at bin k of A cos(2 pi f n / N + p) is
///   sum(w) A/2 [ e^{ip} e^{-i pi (k - f)} R(k - f) + e^{-ip} e^{-i pi (k + f)} R(k + f) ].
/// Cosine sums in closed form; others from at most 4096 samples of the window.
/// The exponential window has no centre of symmetry: R is then the magnitude, and `angle` what the phase is
/// off by.
class WindowTransform {
 public:
  WindowTransform(const Window& window, std::size_t size);
  double operator()(double bins) const;
  /// At `first`, `first` + 1, ...: of many bins in turn several times as quick.
  void run(double first, std::size_t count, double* values) const;
  double angle(double bins) const;
  bool symmetric() const { return decay_ == 0; }
  /// R(d) and its derivative by d.
  struct Point {
    double value, slope;
  };
  Point evaluate(double bins) const;

 private:
  Point near_integer(double bins) const;
  Point sampled(double bins) const;
  double size_;
  double decay_ = 0;           // Exponential: w falls by exp(-decay) over the segment
  std::vector<double> terms_;  // Cosine sum, or empty
  std::vector<double> half_;   // Samples from the centre outwards, divided by their sum
};

}  // namespace vprism
