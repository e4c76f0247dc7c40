// steady_lines.h: lines that stand through a stretch of samples, found and fitted beside the places where
// something else happens, so that a short event can be fitted to what they leave.
#pragma once

#include <cstddef>
#include <span>
#include <utility>
#include <vector>

namespace vprism {

struct SteadyLine {
  double cycles = 0;            ///< Per sample.
  double cosine = 0, sine = 0;  ///< At sample 0.
};

/// Half-open, of sample numbers.
using SampleRange = std::pair<std::size_t, std::size_t>;

/// The strongest first, at most `most`: each is more than noise makes in one stretch of a thousand, stands in
/// every quarter of the samples outside `aside` at half its mean amplitude or more and with its phase going
/// on. All are fitted together, frequencies too (Gauss-Newton), to those samples alone. None where a smaller
/// share of the samples than `least_outside` lies outside.
std::vector<SteadyLine> steady_lines(std::span<const double> x, std::vector<SampleRange> aside,
                                     std::size_t most = 16, double least_outside = 1.0 / 3);

/// Mean square about the mean that these leave: what a model of another kind has to be better than.
double left_by_steady_lines(std::span<const double> x, std::size_t most);

/// Whether a line has one level and phase in short pieces too, each under a Hann window: a keyed one, which
/// has a steady part of its own, comes and goes.
bool stands_in_each_piece(std::span<const double> x, const SteadyLine& line);

/// The same in three of four pieces at least, in the others something else crosses it: its level and phase
/// become those of the median.
bool stands_in_most_pieces(std::span<const double> x, SteadyLine& line);

/// Takes them off.
void take_off(std::span<double> x, const std::vector<SteadyLine>& lines);

}  // namespace vprism
