// array_shape.h: an array of numbers in several dimensions as channels: along which dimension their samples
// run, and where each channel's samples lie.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "formats/format.h"

namespace vprism {

struct ArrayShape {
  std::vector<std::uint64_t> size;  ///< By dimension.
  std::size_t along = 0;            ///< The dimension of the samples.
  bool first_together = false;      ///< Elements along the first dimension are neighbours, else the last's.

  std::uint64_t samples() const { return size.empty() ? 1 : size[along]; }
  /// All places in the other dimensions; counted with the last of them quickest. Saturates at 2^62.
  std::uint64_t channels() const;
  /// Whether more than one dimension besides has more than one element.
  bool several() const;
  /// Elements from one sample of a channel to its next.
  std::uint64_t step() const { return stride(along); }
  /// The element that is a channel's first sample.
  std::uint64_t first(std::uint64_t channel) const;
  /// Where a channel lies in the other dimensions, from one: "2", "2.1"; "" where there is no other of more
  /// than one element.
  std::string place(std::uint64_t channel) const;
  /// The same with another number of samples.
  ArrayShape with_samples(std::uint64_t count) const;

 private:
  std::uint64_t stride(std::size_t dimension) const;
};

/// "40 x 3 x 2".
std::string shape_text(const std::vector<std::uint64_t>& size);

/// For a dimension that `name` has not. Throws Error(usage).
[[noreturn]] void refuse_samples_along(std::size_t dimension, const std::string& name,
                                       const std::vector<std::uint64_t>& size);

/// The samples run along the dimension that the settings name, else along that as long as an axis that lies
/// beside the array, where one dimension alone is, else along the longest, the first of equals: where another
/// might be meant, `cautions` gets one. Throws Error(usage) when the settings name one that there is not.
ArrayShape settle_shape(std::vector<std::uint64_t> size, bool first_together, const ReadSettings& settings,
                        std::optional<std::uint64_t> axis, const std::string& name,
                        std::vector<Caution>& cautions);

}  // namespace vprism
