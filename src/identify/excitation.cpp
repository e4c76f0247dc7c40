// excitation.cpp: see excitation.h.
#include "identify/excitation.h"

#include <algorithm>
#include <cmath>

#include "base/fft.h"
#include "identify/blows.h"

namespace vprism {

bool looks_like_step(const std::vector<double>& x, double rate_hz) {
  std::vector<double> differences(x.size(), 0.0);
  for (std::size_t n = 1; n < x.size(); ++n) differences[n] = x[n] - x[n - 1];
  if (!looks_like_blows(differences, rate_hz)) return false;
  const auto blows = find_blows(differences, rate_hz, {});
  double first = 0, last = 0;
  const std::size_t part = std::max<std::size_t>(1, x.size() / 50);
  for (std::size_t n = 0; n < part; ++n) first += x[n], last += x[x.size() - 1 - n];
  const double moved = std::abs(last - first) / static_cast<double>(part);
  double top = 0;
  for (const double v : x) top = std::max(top, std::abs(v - x.front()));
  return blows.size() == 1 && moved > 0.5 * top;
}

CrossSpectra whole_record_spectra(const std::vector<std::vector<double>>& columns,
                                  const std::vector<std::size_t>& references, double rate_hz,
                                  bool differences) {
  const std::size_t size = columns[0].size();
  const RealFft fft(size);
  FftArray<double> in(size);
  std::vector<FftArray<std::complex<double>>> transforms;
  std::vector<const std::complex<double>*> all;
  for (const std::vector<double>& column : columns) {
    for (std::size_t n = 0; n < size; ++n)
      in.data()[n] = !differences ? column[n] : n + 1 < size ? column[n + 1] - column[n] : 0;
    transforms.emplace_back(fft.bins());
    fft.run(in, transforms.back());
  }
  for (const auto& t : transforms) all.push_back(t.data());
  CrossSums sums;
  sums.references = references;
  sums.resize(columns.size(), fft.bins());
  sums.add(all);
  return cross_spectra(std::move(sums), size, rate_hz, 1);
}

ResponseSet responses_of_impulses(const std::vector<std::vector<double>>& columns, double rate_hz) {
  ResponseSet set;
  const std::size_t size = columns[0].size();
  const RealFft fft(size);
  FftArray<double> in(size);
  FftArray<std::complex<double>> out(fft.bins());
  set.rate_hz = rate_hz;
  set.rbw_hz = rate_hz / static_cast<double>(size);
  set.averages = 1;
  for (std::size_t k = 0; k < fft.bins(); ++k)
    set.frequency_hz.push_back(static_cast<double>(k) * set.rbw_hz);
  set.driven.assign(fft.bins(), true);
  for (std::size_t c = 0; c < columns.size(); ++c) {
    std::copy(columns[c].begin(), columns[c].end(), in.data());
    fft.run(in, out);
    ResponseCurve curve{c, 0, {}, std::vector<double>(fft.bins(), std::nan(""))};
    for (std::size_t k = 0; k < fft.bins(); ++k) curve.ratio.push_back(out.data()[k] / rate_hz);
    set.curves.push_back(std::move(curve));
    set.coherence.emplace_back(fft.bins(), 1.0);
  }
  return set;
}

}  // namespace vprism
