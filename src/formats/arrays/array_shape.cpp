// array_shape.cpp: see array_shape.h.
#include "formats/arrays/array_shape.h"

#include <algorithm>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

std::uint64_t ArrayShape::channels() const {
  constexpr std::uint64_t most = std::uint64_t{1} << 62;
  std::uint64_t out = 1;
  for (std::size_t d = 0; d < size.size(); ++d) {
    if (d == along) continue;
    if (size[d] != 0 && out > most / size[d]) return most;
    out *= size[d];
  }
  return out;
}

bool ArrayShape::several() const { return place(0).find('.') != std::string::npos; }

std::uint64_t ArrayShape::stride(std::size_t dimension) const {
  std::uint64_t out = 1;
  const std::size_t from = first_together ? 0 : dimension + 1, to = first_together ? dimension : size.size();
  for (std::size_t d = from; d < to; ++d) out *= size[d];
  return out;
}

std::uint64_t ArrayShape::first(std::uint64_t channel) const {
  std::uint64_t out = 0;
  for (std::size_t d = size.size(); d-- > 0;) {
    if (d == along) continue;
    out += channel % size[d] * stride(d);
    channel /= size[d];
  }
  return out;
}

std::string ArrayShape::place(std::uint64_t channel) const {
  std::string out;
  for (std::size_t d = size.size(); d-- > 0;) {
    if (d == along) continue;
    if (size[d] > 1) out = std::to_string(channel % size[d] + 1) + (out.empty() ? "" : ".") + out;
    channel /= size[d];
  }
  return out;
}

ArrayShape ArrayShape::with_samples(std::uint64_t count) const {
  ArrayShape out = *this;
  if (!out.size.empty()) out.size[along] = count;
  return out;
}

std::string shape_text(const std::vector<std::uint64_t>& size) {
  std::string out;
  for (const std::uint64_t n : size) out += (out.empty() ? "" : " x ") + std::to_string(n);
  return out;
}

void refuse_samples_along(std::size_t dimension, const std::string& name,
                          const std::vector<std::uint64_t>& size) {
  throw Error(Status::usage,
              "--samples-along " + std::to_string(dimension) + ": " + name + " has " +
                  (size.size() < 2 ? "one dimension"
                                   : std::to_string(size.size()) + " dimensions (" + shape_text(size) + ")"));
}

ArrayShape settle_shape(std::vector<std::uint64_t> size, bool first_together, const ReadSettings& settings,
                        std::optional<std::uint64_t> axis, const std::string& name,
                        std::vector<Caution>& cautions) {
  ArrayShape out{std::move(size), 0, first_together};
  const std::vector<std::uint64_t>& n = out.size;
  if (settings.samples_along > std::max<std::size_t>(n.size(), 1))
    refuse_samples_along(settings.samples_along, name, n);
  if (n.size() < 2) return out;
  if (settings.samples_along > 0) {
    out.along = settings.samples_along - 1;
    return out;
  }
  if (axis && std::count(n.begin(), n.end(), *axis) == 1) {
    out.along = static_cast<std::size_t>(std::find(n.begin(), n.end(), *axis) - n.begin());
    return out;
  }
  out.along = static_cast<std::size_t>(std::max_element(n.begin(), n.end()) - n.begin());
  std::uint64_t second = 1;
  std::size_t others = 0;  // Dimensions that might be meant.
  for (std::size_t d = 0; d < n.size(); ++d)
    if (d != out.along && n[d] > 1) second = std::max(second, n[d]), ++others;
  // Far more samples than channels leave no doubt.
  constexpr std::uint64_t far = 4;
  if (others > 0 && (others > 1 || second > n[out.along] / far))
    cautions.push_back(
        {"axis-assumed", others > 1 || second == n[out.along] ? Severity::warning : Severity::note, "",
         "the samples of " + name + " (" + shape_text(n) + ") are taken to run along dimension " +
             std::to_string(out.along + 1) + ": " + std::to_string(out.channels()) + " channels of " +
             std::to_string(out.samples()) + " samples",
         "--samples-along with its number takes another dimension"});
  return out;
}

}  // namespace vprism
