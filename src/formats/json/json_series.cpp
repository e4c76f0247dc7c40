// json_series.cpp: see json_series.h.
#include "formats/json/json_series.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "formats/text/clock/clock.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;
constexpr std::size_t fewest = 2;

bool is_missing_text(const Document& x) {
  if (!x.is_string()) return x.is_null();
  const std::string text = lower_case(trimmed(x.get_ref<const std::string&>()));
  return text.empty() || text == "nan" || text == "null" || text == "inf" || text == "-inf";
}

/// An integer that fits into 64 bits with a sign.
std::optional<std::int64_t> whole_number_of(const Document& x) {
  if (!x.is_number_integer()) return {};
  if (x.is_number_unsigned() &&
      x.get<std::uint64_t>() > std::uint64_t{std::numeric_limits<std::int64_t>::max()})
    return {};
  return x.get<std::int64_t>();
}

/// `size` cells, the n-th at(n), null where there is none.
template <typename At>
std::optional<JsonSeries> numbers_of(std::size_t size, At at) {
  constexpr std::int64_t exact = std::int64_t{1} << 53;
  JsonSeries out;
  out.values.reserve(size);
  std::size_t numbers = 0;
  bool whole = true, beyond = false;
  for (std::size_t n = 0; n < size; ++n) {
    const Document* const x = at(n);
    if (x == nullptr || is_missing_text(*x)) {
      out.values.push_back(std::nan("")), whole = false;
    } else if (x->is_number() || x->is_boolean()) {
      const auto count = whole_number_of(*x);
      whole = whole && count;
      beyond = beyond || (count && (*count > exact || *count < -exact));
      out.values.push_back(x->is_boolean() ? (x->get<bool>() ? 1 : 0) : x->get<double>()), ++numbers;
    } else {
      return {};
    }
  }
  if (numbers < fewest || 2 * numbers < size) return {};
  if (!whole) return out;
  out.whole_from = whole_number_of(*at(0));
  for (std::size_t n = 0; n < size && beyond; ++n)
    out.distances.push_back(static_cast<double>(static_cast<std::int64_t>(
        static_cast<std::uint64_t>(*whole_number_of(*at(n))) - static_cast<std::uint64_t>(*out.whole_from))));
  return out;
}

template <typename At>
std::optional<JsonSeries> dates_of(std::size_t size, At at) {
  JsonSeries out;
  for (std::size_t n = 0; n < size; ++n) {
    const Document* const x = at(n);
    const auto when =
        x != nullptr && x->is_string() ? parse_date_time(x->get_ref<const std::string&>()) : std::nullopt;
    if (!when) return {};
    if (!out.zero_ns) out.zero_ns = when;
    out.values.push_back(static_cast<double>(*when - *out.zero_ns) / 1e9);
  }
  return out.values.size() >= fewest ? std::optional(out) : std::nullopt;
}

template <typename At>
std::optional<JsonSeries> either(std::size_t size, At at) {
  auto numbers = numbers_of(size, at);
  return numbers ? numbers : dates_of(size, at);
}

}  // namespace

std::optional<JsonSeries> json_series(const std::vector<const Document*>& cells) {
  return either(cells.size(), [&](std::size_t n) { return cells[n]; });
}

std::optional<JsonSeries> json_series(const Document& array) {
  if (!array.is_array()) return {};
  return either(array.size(), [&](std::size_t n) { return &array[n]; });
}

}  // namespace vprism
