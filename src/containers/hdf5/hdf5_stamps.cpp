// hdf5_stamps.cpp: see hdf5_stamps.h.
#include "containers/hdf5/hdf5_stamps.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "containers/hdf5/hdf5_columns.h"
#include "containers/hdf5/hdf5_meaning.h"
#include "formats/text/clock/clock.h"

namespace vprism {

void Hdf5Stamps::open(hid_t file, const Hdf5Group& group, const std::string& file_path,
                      const std::vector<std::string>& allowed_outside) {
  if (group.stamps.empty()) return;
  file_path_ = file_path, path_ = group.stamps, member_ = group.stamps_member, dates_ = group.stamps_dates;
  set_ = open_hdf5_set(file, path_, file_path, allowed_outside);
  if (!set_) return;
  Hdf5Handle type(H5Dget_type(set_.get()));
  if (!member_.empty())
    type = Hdf5Handle(H5Tget_member_type(
        type.get(), static_cast<unsigned>(H5Tget_member_index(type.get(), member_.c_str()))));
  const H5T_class_t kind = H5Tget_class(type.get());
  whole_ = kind == H5T_INTEGER && H5Tget_size(type.get()) == 8;
  single_ = kind == H5T_FLOAT && H5Tget_size(type.get()) == 4;
}

void Hdf5Stamps::close() { set_ = {}; }

void Hdf5Stamps::describe(Recording& recording) {
  if (!set_) return;
  if (dates_) {
    const std::vector<std::string> first = hdf5_set_texts(set_.get(), 0, 1);
    if (!first.empty()) recording.zero_ns = parse_date_time(first.front());
    zero_ns_ = recording.zero_ns.value_or(0);
    return;
  }
  Axis& axis = recording.axis;
  const auto said = hdf5_said(set_.get(), Hdf5Meaning::unit);
  auto [text, zero] = counted_since(said ? said->text : "");
  if (zero)
    if (auto caution = calendar_caution(hdf5_text(set_.get(), "calendar").value_or("")))
      recording.cautions.push_back(std::move(*caution));
  if (text.empty() && recording.samples > 0 && axis.domain == Axis::Domain::time) {
    std::vector<double> ends(static_cast<std::size_t>(std::min<std::int64_t>(recording.samples, 64)));
    read(0, ends);
    const double step =
        (ends.back() - ends.front()) / static_cast<double>(std::max<std::size_t>(1, ends.size() - 1));
    if (const auto unit = unit_since_1970(ends.front(), step)) {
      text = *unit == 1 ? "ns" : *unit == 1000 ? "us" : *unit == 1000000 ? "ms" : "s";
      zero = 0;
      recording.cautions.push_back(clock_counted_caution(clean_text(path_), text));
    }
  }
  const std::string leaf = member_.empty() ? hdf5_leaf(path_) : member_;
  if (text.empty()) text = time_unit_of_key(leaf);
  auto unit = Unit::try_parse(trimmed(text));
  if (!unit || unit->dimensionless()) unit = Unit::parse(is_frequency_key(leaf) || leaf == "f" ? "Hz" : "s");
  if (unit->converts_to(Unit::parse("s"))) {
    factor_ = unit->convert(1, Unit::parse("s"));
    if (zero && recording.samples > 0) count_from_first(recording, *zero);
  } else {
    const bool frequency = unit->converts_to(Unit::parse("Hz"));
    axis.domain = frequency ? Axis::Domain::frequency : Axis::Domain::other;
    axis.name = clean_text(leaf);
    axis.unit = frequency ? Unit::parse("Hz") : *unit;
    if (frequency) factor_ = unit->convert(1, axis.unit);
  }
  find_resolution(recording.samples);
}

void Hdf5Stamps::count_from_first(Recording& recording, std::int64_t zero) {
  const std::int64_t unit_ns = factor_ < 1e9 ? std::llround(factor_ * 1e9) : 0;
  if (whole_ && unit_ns > 0 && std::abs(static_cast<double>(unit_ns) - factor_ * 1e9) < 1e-6) {
    std::int64_t count = 0, instant = 0;
    read_raw(0, 1, H5T_NATIVE_INT64, &count);
    const auto since = instant_of_count(count, unit_ns);
    if (!since || __builtin_add_overflow(zero, *since, &instant)) return;
    base_ = count, recording.zero_ns = instant;
    return;
  }
  double first = 0;
  read(0, std::span(&first, 1));
  const auto instant = instant_after(zero, first);
  if (!instant) return;
  recording.zero_ns = *instant;
  first_ = first / factor_;
}

void Hdf5Stamps::find_resolution(std::int64_t samples) {
  if (samples < 1) return;
  double ends[2] = {};
  read(0, std::span(ends, 1)), read(samples - 1, std::span(ends + 1, 1));
  const double digits =
      single_ ? std::numeric_limits<float>::epsilon() : std::numeric_limits<double>::epsilon();
  const double greatest = std::max(std::abs(ends[0]), std::abs(ends[1])) + std::abs(first_) * factor_;
  resolution_ = whole_ ? std::max(factor_, digits * greatest) : digits * greatest;
}

void Hdf5Stamps::read(std::int64_t at, std::span<double> to) {
  if (to.empty()) return;
  if (dates_) return read_dates(at, to);
  if (whole_) {
    std::vector<std::int64_t> counts(to.size());
    read_raw(at, to.size(), H5T_NATIVE_INT64, counts.data());
    // Distances as the processor makes them, also between numbers whose distance has no room.
    for (std::size_t n = 0; n < to.size(); ++n)
      to[n] = base_ == 0 ? static_cast<double>(counts[n]) * factor_
                         : static_cast<double>(static_cast<std::int64_t>(
                               static_cast<std::uint64_t>(counts[n]) - static_cast<std::uint64_t>(base_))) *
                               factor_;
    return;
  }
  read_raw(at, to.size(), H5T_NATIVE_DOUBLE, to.data());
  for (double& t : to) t = (t - first_) * factor_;
}

void Hdf5Stamps::read_raw(std::int64_t at, std::size_t count, hid_t number, void* to) {
  const Hdf5Handle space(H5Dget_space(set_.get()));
  hsize_t start[2] = {static_cast<hsize_t>(at), 0}, size[2] = {count, 1}, extent[2] = {1, 1};
  const hsize_t all = count;
  // A row is two-dimensional as well.
  if (H5Sget_simple_extent_ndims(space.get()) == 2 &&
      H5Sget_simple_extent_dims(space.get(), extent, nullptr) == 2 && extent[1] > extent[0])
    std::swap(start[0], start[1]), std::swap(size[0], size[1]);
  const Hdf5Handle memory(H5Screate_simple(1, &all, nullptr)),
      type(member_.empty() ? Hdf5Handle(H5Tcopy(number)) : hdf5_field_type({member_}, number));
  if (H5Sselect_hyperslab(space.get(), H5S_SELECT_SET, start, nullptr, size, nullptr) < 0 ||
      H5Dread(set_.get(), type.get(), memory.get(), space.get(), H5P_DEFAULT, to) < 0)
    refuse_damaged_set(file_path_, path_);
}

void Hdf5Stamps::read_dates(std::int64_t at, std::span<double> to) {
  const std::vector<std::string> texts =
      hdf5_set_texts(set_.get(), static_cast<std::uint64_t>(at), to.size());
  if (texts.size() != to.size()) refuse_damaged_set(file_path_, path_);
  for (std::size_t n = 0; n < to.size(); ++n) {
    const auto when = parse_date_time(texts[n]);
    if (!when)
      throw Error(Status::input, file_path_ + ": data set \"" + clean_text(path_) + "\", row " +
                                     std::to_string(at + static_cast<std::int64_t>(n) + 1) + ": \"" +
                                     clean_text(texts[n], 40) + "\" is no date; --axis none leaves them out");
    to[n] = static_cast<double>(*when - zero_ns_) / 1e9;
  }
}

}  // namespace vprism
