// segment_medians.cpp: see segment_medians.h.
#include "transform/spectra/segment_medians.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>

namespace vprism {

namespace {

float median_of(std::vector<float>& values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  if (values.size() % 2 == 1) return *middle;
  return (*middle + *std::max_element(values.begin(), middle)) / 2;
}

/// Medians down the columns of `rows` rows.
std::vector<float> medians_of(const std::vector<float>& held, std::size_t rows, std::size_t bins) {
  std::vector<float> out(bins);
  constexpr std::size_t some = 256;
  oneapi::tbb::parallel_for(std::size_t{0}, (bins + some - 1) / some, [&](std::size_t part) {
    std::vector<float> column(rows);
    for (std::size_t k = part * some; k < std::min(bins, (part + 1) * some); ++k) {
      for (std::size_t r = 0; r < rows; ++r) column[r] = held[r * bins + k];
      out[k] = median_of(column);
    }
  });
  return out;
}

}  // namespace

SegmentMedians::SegmentMedians(std::size_t channels, std::size_t bins, std::size_t expected)
    : channels_(channels),
      bins_(bins),
      rows_(std::min(std::max<std::size_t>(1, expected),
                     std::clamp<std::size_t>((std::size_t{1} << 24) / (channels * bins), 31, 1001))),
      held_(channels, std::vector<float>(rows_ * bins)),
      groups_(channels) {}

void SegmentMedians::take(const double* parts, std::size_t channel, std::int64_t number) {
  float* const row = held_[channel].data() + static_cast<std::size_t>(number - first_) * bins_;
  for (std::size_t k = 0; k < bins_; ++k)
    row[k] = static_cast<float>(parts[2 * k] * parts[2 * k] + parts[2 * k + 1] * parts[2 * k + 1]);
}

void SegmentMedians::filled(std::size_t segments) {
  used_ += segments;
  if (used_ == rows_) close_group();
}

void SegmentMedians::close_group() {
  for (std::size_t c = 0; c < channels_; ++c) groups_[c].push_back(medians_of(held_[c], used_, bins_));
  first_ += static_cast<std::int64_t>(used_);
  used_ = 0;
}

std::vector<double> SegmentMedians::result(std::size_t channel) const {
  std::vector<float> rows;
  std::size_t count = 0;
  for (const auto& group : groups_[channel]) rows.insert(rows.end(), group.begin(), group.end()), ++count;
  // A group that was only begun counts where it is no small part.
  if (used_ > 0 && (count == 0 || 2 * used_ >= rows_)) {
    const std::vector<float> last = medians_of(held_[channel], used_, bins_);
    rows.insert(rows.end(), last.begin(), last.end());
    ++count;
  }
  const std::vector<float> all = medians_of(rows, count, bins_);
  return {all.begin(), all.end()};
}

}  // namespace vprism
