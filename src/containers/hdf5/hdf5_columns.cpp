// hdf5_columns.cpp: see hdf5_columns.h.
#include "containers/hdf5/hdf5_columns.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "containers/hdf5/hdf5_meaning.h"

namespace vprism {

void refuse_damaged_set(const std::string& file, const std::string& path) {
  throw Error(Status::input, file + ": damaged HDF5 file: data set \"" + clean_text(path) +
                                 "\" can't be read; copy it again");
}

Hdf5Handle hdf5_field_type(const std::vector<std::string>& members, hid_t number) {
  Hdf5Handle out(H5Tcreate(H5T_COMPOUND, members.size() * sizeof(double)));
  for (std::size_t k = 0; k < members.size(); ++k)
    H5Tinsert(out.get(), members[k].c_str(), k * sizeof(double), number);
  return out;
}

namespace {

/// Name and unit of a channel that has a group to itself.
void take_from_group(hid_t group, const std::string& leaf, hid_t set, Channel& channel) {
  if (!hdf5_said(set, Hdf5Meaning::name)) {
    const auto said = hdf5_said(group, Hdf5Meaning::name);
    const Channel titled = channel_from_title(said ? said->text : leaf);
    channel.name = titled.name;
    if (channel.unit.text() == "1") channel.unit = titled.unit;
  }
  if (const auto said = hdf5_said(group, Hdf5Meaning::unit); said && channel.unit.text() == "1")
    channel.unit = Unit::try_parse(said->text).value_or(Unit::opaque(clean_text(said->text, 24)));
  channel.quantity = quantity_of(channel.unit);
}

/// The group of a data set, where it holds nothing else; none for the root.
Hdf5Handle hdf5_folder_of_one(hid_t file, const Hdf5Set& set) {
  const std::string path = hdf5_folder(set.path);
  if (path.empty() || path == "/") return Hdf5Handle(-1);
  Hdf5Handle group(H5Gopen2(file, path.c_str(), H5P_DEFAULT));
  H5G_info_t held = {};
  if (!group || H5Gget_info(group.get(), &held) < 0 || held.nlinks != 1) return Hdf5Handle(-1);
  return group;
}

}  // namespace

void Hdf5Columns::open(hid_t file, const Hdf5Group& group, Recording& recording,
                       const std::vector<std::string>& allowed_outside, std::uint64_t file_bytes, bool own) {
  own_ = own;
  for (const Hdf5Set& set : group.sets) recording.complex = recording.complex || set.complex;
  for (std::size_t s = 0; s < group.sets.size(); ++s) {
    const Hdf5Set& set = group.sets[s];
    recording.cautions.insert(recording.cautions.end(), set.cautions.begin(), set.cautions.end());
    Hdf5Column column;
    column.set = set;
    column.data = open_hdf5_set(file, set.path, recording.file, allowed_outside);
    if (!column.data) refuse_damaged_set(recording.file, set.path);
    if (!hdf5_plausible(column.data.get(), file_bytes))
      throw Error(Status::input, recording.file + ": damaged HDF5 file: data set \"" + clean_text(set.path) +
                                     "\" claims " + std::to_string(set.rows) + " x " +
                                     std::to_string(set.columns) +
                                     " values, far more than are stored; copy it again");
    if (!set.member.empty()) {
      // The fields of one table are read together, by the first of them.
      std::vector<std::string> members;
      for (const Hdf5Set& other : group.sets)
        if (other.path == set.path) {
          if (&other == &set) column.field = members.size();
          members.push_back(other.member);
        }
      column.fields = members.size();
      if (column.field == 0) column.part[0] = hdf5_field_type(members);
    }
    if (set.complex) {
      const Hdf5Handle type(H5Dget_type(column.data.get()));
      std::string names[2];
      hdf5_complex_members(type.get(), names[0], names[1]);
      for (int p = 0; p < 2; ++p) column.part[p] = hdf5_field_type({names[p]});
    }
    // A group that holds nothing but this channel speaks for it.
    const Hdf5Handle around = hdf5_folder_of_one(file, set);
    take_scale(column, around ? around.get() : column.data.get(), recording);
    std::vector<std::string> titles = hdf5_column_titles(column.data.get(), set.columns), units;
    if (set.columns > 1 && set.columns <= 4096) {
      const std::string leaf = set.leaf();
      const std::string stem =
          leaf.ends_with("_values") ? leaf.substr(0, leaf.size() - 7) + "_items" : leaf + "_names";
      if (titles.empty())
        titles = hdf5_texts_beside(
            file, set, {stem, "channels", "channel_names", "names", "columns", "labels"}, texts_used_);
      units = hdf5_column_texts(column.data.get(), set.columns,
                                {"units", "unit", "channel_units", "column_units"});
      if (units.empty())
        units = hdf5_texts_beside(file, set, {"units", "unit", "channel_units"}, texts_used_);
    }
    if (!set.member.empty()) units = unit_of_field(column.data.get(), set.member);
    const Hdf5Handle folder(set.by_group ? H5Gopen2(file, hdf5_folder(set.path).c_str(), H5P_DEFAULT) : -1);
    for (std::uint64_t k = 0; k < set.columns; ++k) {
      recording.channels.push_back(channel_of(column, titles, k, recording));
      Channel& channel = recording.channels.back();
      if (around && channel.unit.text() == "1")
        if (const auto said = hdf5_said(around.get(), Hdf5Meaning::unit)) {
          channel.unit = Unit::try_parse(said->text).value_or(Unit::opaque(clean_text(said->text, 24)));
          channel.quantity = quantity_of(channel.unit);
        }
      if (folder) take_from_group(folder.get(), hdf5_leaf(hdf5_folder(set.path)), column.data.get(), channel);
      if (k < units.size() && channel.unit.text() == "1" && !units[static_cast<std::size_t>(k)].empty()) {
        const std::string& text = units[static_cast<std::size_t>(k)];
        channel.unit = Unit::try_parse(text).value_or(Unit::opaque(clean_text(text, 24)));
        channel.quantity = quantity_of(channel.unit);
      }
    }
    columns_.push_back(std::move(column));
  }
  make_names_distinct(recording.channels);
}

bool Hdf5Columns::read(Block& block, std::int64_t at, std::size_t count, const Recording& recording) {
  bool gaps = false;
  std::size_t channel = 0;
  for (const Hdf5Column& column : columns_) {
    for (int part = 0; part < (recording.complex ? 2 : 1) && count > 0; ++part) {
      if (column.field == 0) read_set(column, part, at, count, recording.file);
      const ArrayShape shape = column.set.shape.with_samples(count);
      const std::size_t step = column.fields > 0 ? column.fields : static_cast<std::size_t>(shape.step());
      for (std::size_t k = 0; k < column.set.columns; ++k) {
        const auto room =
            block.room(channel + k + (part == 1 ? recording.channels.size() : 0)).subspan(0, count);
        const double* from = buffer_.data() + (column.fields > 0 ? column.field : shape.first(k));
        for (std::size_t n = 0; n < count; ++n) {
          const double x = from[n * step];
          room[n] = (x - column.raw_zero) * column.scale + column.offset;
          if (!std::isfinite(room[n]) || x == column.fill) room[n] = std::nan(""), gaps = true;
        }
      }
    }
    channel += static_cast<std::size_t>(column.set.columns);
  }
  return gaps;
}

Channel Hdf5Columns::channel_of(const Hdf5Column& column, const std::vector<std::string>& titles,
                                std::uint64_t k, Recording& recording) const {
  Channel channel;
  const hid_t set = column.data.get();
  // Attributes of a table are not those of its fields.
  if (!column.set.member.empty()) return channel_from_title(column.set.member);
  std::string name;
  for (const char* key : {"name", "long_name"})
    if (const auto text = hdf5_text(set, key); text && name.empty()) name = *text;
  if (const auto said = hdf5_said(set, Hdf5Meaning::name); said && name.empty()) name = said->text;
  if (k < titles.size())
    channel = channel_from_title(titles[static_cast<std::size_t>(k)]);
  else if (own_ && column.set.columns == 1)
    channel.name = clean_text(name);  // Units stand apart in our own files.
  else if (column.set.columns == 1)
    channel = channel_from_title(name.empty() ? column.set.leaf() : name);
  else
    channel.name = clean_text(column.set.leaf()) + " " + column.set.shape.place(k);
  if (const auto said = hdf5_said(set, Hdf5Meaning::unit)) {
    const auto unit = Unit::try_parse(said->text);
    channel.unit = unit ? *unit : Unit::opaque(clean_text(said->text));
    if (!unit)
      recording.cautions.push_back(
          {"unit-unknown", Severity::note, channel.name,
           "the unit \"" + clean_text(said->text) + "\" can't be read; numbers are kept as they are",
           "name it with --calibrate '" + channel.name + ": unit UNIT'"});
  }
  channel.quantity = quantity_of(channel.unit);
  channel.carrier_hz = hdf5_number(set, "carrier_hz").value_or(0);
  if (const auto text = hdf5_text(set, "point")) channel.point = clean_text(*text);
  return channel;
}

/// Of a table whose attribute has a unit for each field.
std::vector<std::string> Hdf5Columns::unit_of_field(hid_t set, const std::string& member) {
  const Hdf5Handle type(H5Dget_type(set));
  const int fields = H5Tget_class(type.get()) == H5T_COMPOUND ? H5Tget_nmembers(type.get()) : 0,
            place = fields > 1 ? H5Tget_member_index(type.get(), member.c_str()) : -1;
  if (place < 0) return {};
  const auto all =
      hdf5_column_texts(set, static_cast<std::uint64_t>(fields), {"units", "unit", "column_units"});
  return all.empty() ? all : std::vector{all[static_cast<std::size_t>(place)]};
}

void Hdf5Columns::take_scale(Hdf5Column& column, hid_t folder, Recording& recording) const {
  const hid_t set = column.data.get();
  const auto said_of = [&](Hdf5Meaning meaning) {
    const auto own = hdf5_said(set, meaning);
    return own || folder == set ? own : hdf5_said(folder, meaning);
  };
  if (!column.set.member.empty()) return;
  if (const auto fill = hdf5_said(set, Hdf5Meaning::fill)) column.fill = fill->value;
  const auto offset = said_of(Hdf5Meaning::offset), zero = said_of(Hdf5Meaning::raw_zero);
  auto scale = said_of(Hdf5Meaning::scale);
  // A gain beside an offset turns counts; alone it may be an amplifier's.
  const auto gain = scale ? std::nullopt : hdf5_said(set, Hdf5Meaning::gain);
  if (gain && offset) scale = gain;
  if (gain && !offset && !own_ && gain->value != 1)
    recording.cautions.push_back({"scale-not-applied", Severity::note, clean_text(column.set.leaf()),
                                  "the attribute \"" + clean_text(gain->key) + "\" " +
                                      format_number(gain->value, 9) +
                                      " is not applied: it may be an amplifier's, taken into account already",
                                  "apply it with --calibrate if it is not"});
  if (own_ || column.set.complex || (!scale && !offset)) return;
  const double factor = scale ? scale->value : 1, add = offset ? offset->value : 0;
  if (factor == 1 && add == 0) return;
  const Hdf5Handle type(H5Dget_type(set));
  // Conventions that say so themselves hold for floats, too.
  // An offset alone may be one in time.
  const bool applies = (H5Tget_class(type.get()) == H5T_INTEGER && scale) ||
                       (scale && lower_case(scale->key) == "scale_factor") ||
                       (offset && lower_case(offset->key) == "add_offset");
  std::string said = scale ? "\"" + clean_text(scale->key) + "\" " + format_number(factor, 9) : std::string();
  if (offset)
    said += (said.empty() ? "\"" : " and \"") + clean_text(offset->key) + "\" " + format_number(add, 9);
  const std::string leaf = clean_text(column.set.leaf());
  if (!applies) {
    recording.cautions.push_back({"scale-not-applied", Severity::note, leaf,
                                  "the attributes " + said + " are not applied: " +
                                      (scale ? "its numbers are floats, which hold values as a rule"
                                             : "an offset alone may be one in time"),
                                  "apply them with --calibrate if they are not"});
    return;
  }
  column.scale = factor, column.offset = add;
  if (zero) column.raw_zero = zero->value;
  recording.cautions.push_back(
      {"scale-applied", Severity::note, leaf, "its integers are turned by the attributes " + said, ""});
}

void Hdf5Columns::read_set(const Hdf5Column& column, int part, std::int64_t at, std::size_t count,
                           const std::string& file) {
  const Hdf5Handle space(H5Dget_space(column.data.get()));
  const ArrayShape shape = column.set.shape.with_samples(count);
  std::vector<hsize_t> size(shape.size.begin(), shape.size.end()), start(size.size());
  if (size.empty()) size = {1}, start = {0};  // A single number.
  if (!shape.size.empty()) start[shape.along] = static_cast<hsize_t>(at);
  buffer_.resize(count * std::max(column.fields, static_cast<std::size_t>(column.set.columns)));
  const Hdf5Handle memory(H5Screate_simple(static_cast<int>(size.size()), size.data(), nullptr));
  if (part == 1 && !column.set.complex) {
    std::fill(buffer_.begin(), buffer_.end(), 0.0);
    return;
  }
  const hid_t type =
      column.set.complex || !column.set.member.empty() ? column.part[part].get() : H5T_NATIVE_DOUBLE;
  if (H5Sselect_hyperslab(space.get(), H5S_SELECT_SET, start.data(), nullptr, size.data(), nullptr) < 0 ||
      H5Dread(column.data.get(), type, memory.get(), space.get(), H5P_DEFAULT, buffer_.data()) < 0)
    refuse_damaged_set(file, column.set.path);
}

}  // namespace vprism
