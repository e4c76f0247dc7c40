// hdf5_reader.cpp: HDF5 files by the HDF5 library: our own layout (docs/formats.md), and any file with data
// sets of numbers.
//
// Of a foreign file every numeric data set of one or two dimensions is looked at. Those of one dimension that
// lie in the same group and have the same length are the channels of one part, named after the group; a data
// set of two dimensions is a part of its own, its longer dimension being time. A data set called time or t
// (or what --axis names) holds the stamps of its group. Rate or interval, start, unit and name are taken from
// attributes of the data set, its group or the root, under their usual names.
#include <algorithm>
#include <cmath>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "formats/format.h"
#include "formats/hdf5_file.h"
#include "formats/hdf5_probe.h"

namespace vprism {

namespace {

struct DataSet {
  std::string path;
  std::uint64_t rows = 0, columns = 1;
  bool two_dimensional = false, transposed = false;  ///< Transposed: [channel][time].
  bool complex = false;
};

std::string folder_of(const std::string& path) {
  const std::size_t slash = path.find_last_of('/');
  return slash == 0 || slash == std::string::npos ? "/" : path.substr(0, slash);
}

std::string leaf_of(const std::string& path) { return path.substr(path.find_last_of('/') + 1); }

/// Whether a compound type is a complex number: two floats, r and i (or real and imag).
bool complex_members(hid_t type, std::string& real, std::string& imaginary) {
  if (H5Tget_class(type) != H5T_COMPOUND || H5Tget_nmembers(type) != 2) return false;
  for (unsigned m = 0; m < 2; ++m) {
    if (H5Tget_member_class(type, m) != H5T_FLOAT) return false;
    char* name = H5Tget_member_name(type, m);
    if (name == nullptr) return false;
    (lower_case(name)[0] == 'r' ? real : imaginary) = name;
    H5free_memory(name);
  }
  return !real.empty() && !imaginary.empty() && lower_case(imaginary)[0] == 'i';
}

struct Walk {
  hid_t file;
  std::vector<DataSet> sets;
};

herr_t visit(hid_t, const char* name, const H5O_info_t* info, void* data) {
  auto& walk = *static_cast<Walk*>(data);
  if (info->type != H5O_TYPE_DATASET) return 0;
  if (walk.sets.size() >= 100000) return 1;
  const Hdf5Handle set(H5Dopen2(walk.file, name, H5P_DEFAULT));
  if (!set) return 0;
  const Hdf5Handle type(H5Dget_type(set.get())), space(H5Dget_space(set.get()));
  if (!type || !space) return 0;
  DataSet out;
  std::string real, imaginary;
  const H5T_class_t kind = H5Tget_class(type.get());
  out.complex = complex_members(type.get(), real, imaginary);
  const int rank = H5Sget_simple_extent_ndims(space.get());
  if ((kind != H5T_FLOAT && kind != H5T_INTEGER && !out.complex) || rank < 1 || rank > 2) return 0;
  hsize_t size[2] = {0, 1};
  H5Sget_simple_extent_dims(space.get(), size, nullptr);
  out.path = std::string("/") + name;
  out.two_dimensional = rank == 2;
  out.transposed = rank == 2 && size[1] > size[0];
  out.rows = size[out.transposed ? 1 : 0];
  out.columns = rank == 2 ? size[out.transposed ? 0 : 1] : 1;
  if (out.rows > 0 && out.columns > 0 && out.columns <= 4096) walk.sets.push_back(std::move(out));
  return 0;
}

/// Data sets that are read together.
struct Group {
  std::string name;
  std::vector<DataSet> sets;
  std::string stamps;  ///< Path; "" for none.
};

bool is_time_name(const std::string& leaf) {
  const std::string name = lower_case(leaf);
  return name == "time" || name == "t" || name == "times" || name == "timestamps" || name == "time_s" ||
         name == "stamps";
}

/// The groups of a file, in the order of their paths.
std::vector<Group> group_sets(const std::vector<DataSet>& sets, const std::string& axis) {
  std::vector<Group> groups;
  std::map<std::pair<std::string, std::uint64_t>, std::size_t> known;
  for (const DataSet& set : sets) {
    if (set.two_dimensional) {
      groups.push_back({set.path, {set}, ""});
      continue;
    }
    const auto [entry, fresh] = known.try_emplace({folder_of(set.path), set.rows}, groups.size());
    if (fresh) groups.push_back({folder_of(set.path), {}, ""});
    groups[entry->second].sets.push_back(set);
  }
  for (Group& group : groups) {
    for (const DataSet& set : group.sets)
      if (axis == "none" ? false
          : axis.empty() ? is_time_name(leaf_of(set.path))
                         : leaf_of(set.path) == axis || set.path == axis)
        group.stamps = set.path;
    // A time beside a table of two dimensions.
    if (group.stamps.empty() && group.sets.front().two_dimensional && axis != "none")
      for (const DataSet& set : sets)
        if (!set.two_dimensional && set.rows == group.sets.front().rows &&
            folder_of(set.path) == folder_of(group.name) && is_time_name(leaf_of(set.path)))
          group.stamps = set.path;
    if (group.sets.size() > 1)
      std::erase_if(group.sets, [&](const DataSet& set) { return set.path == group.stamps; });
    else if (group.sets.front().path == group.stamps)
      group.stamps.clear();
  }
  // Times alone that serve a table elsewhere are no signal.
  std::erase_if(groups, [&](const Group& group) {
    return group.sets.size() == 1 && is_time_name(leaf_of(group.sets[0].path)) &&
           std::any_of(groups.begin(), groups.end(),
                       [&](const Group& g) { return g.stamps == group.sets[0].path; });
  });
  return groups;
}

class Hdf5Source : public SampleSource {
 public:
  Hdf5Source(const FileHead& head, const ReadSettings& settings) : settings_(settings) {
    const std::lock_guard guard(hdf5_lock());
    H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);
    recording_.file = head.path;
    recording_.format = "HDF5";
    file_bytes_ = head.size;
    probe_hdf5(head.path, head.size);
    file_ = Hdf5Handle(H5Fopen(head.path.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT));
    if (!file_)
      throw Error(Status::input, head.path + ": damaged HDF5 file: it can't be opened; copy it again");
    own_ = hdf5_text(file_.get(), "layout") == hdf5_layout_name;
    Walk walk{file_.get(), {}};
    if (H5Ovisit(file_.get(), H5_INDEX_NAME, H5_ITER_INC, visit, &walk) < 0)
      throw Error(Status::input,
                  head.path + ": damaged HDF5 file: its groups can't be walked; copy it again");
    std::vector<Group> groups = group_sets(walk.sets, settings.axis);
    if (groups.empty())
      throw Error(Status::input, head.path + ": no data set of numbers with one or two dimensions");
    choose(groups, walk.sets);
    open_columns();
    describe_axis();
    if (stamps_)
      recording_.axis.source = "data set \"" + clean_text(group_.stamps) + "\"";
    else
      settle_interval(recording_, settings_, file_interval_, "attribute \"" + interval_name_ + "\"");
  }
  ~Hdf5Source() override {
    const std::lock_guard guard(hdf5_lock());
    columns_.clear();
    stamps_ = {};
    file_ = {};
  }

  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return static_cast<bool>(stamps_); }
  void rewind() override { at_ = 0; }

  void resolve() override {
    if (settled_ || !stamps_) return;
    std::vector<double> times(65536);
    judge_ = {};
    for (std::int64_t at = 0; at < recording_.samples;) {
      const auto count = static_cast<std::size_t>(
          std::min<std::int64_t>(static_cast<std::int64_t>(times.size()), recording_.samples - at));
      read_stamps(at, std::span(times).subspan(0, count));
      judge_.add(std::span(times).subspan(0, count));
      at += static_cast<std::int64_t>(count);
    }
    settle();
  }

  std::size_t read(Block& block) override {
    const std::size_t count = std::min(block.capacity(), static_cast<std::size_t>(recording_.samples - at_));
    const std::lock_guard guard(hdf5_lock());
    bool gaps = false;
    std::size_t channel = 0;
    for (const Column& column : columns_) {
      for (int part = 0; part < (recording_.complex ? 2 : 1) && count > 0; ++part) {
        read_set(column, part, count);
        for (std::size_t k = 0; k < column.set.columns; ++k) {
          const auto room =
              block.room(channel + k + (part == 1 ? recording_.channels.size() : 0)).subspan(0, count);
          const std::size_t step = column.set.transposed ? 1 : static_cast<std::size_t>(column.set.columns);
          const double* from = buffer_.data() + k * (column.set.transposed ? count : 1);
          for (std::size_t n = 0; n < count; ++n) {
            room[n] = from[n * step];
            if (!std::isfinite(room[n])) room[n] = std::nan(""), gaps = true;
          }
        }
      }
      channel += static_cast<std::size_t>(column.set.columns);
    }
    if (stamps_) {
      read_stamps(at_, block.stamp_room().subspan(0, count));
      if (!settled_) {
        if (at_ == 0) judge_ = {};
        judge_.add(block.stamp_room().subspan(0, count));
        if (at_ + static_cast<std::int64_t>(count) >= recording_.samples) settle();
      }
    }
    block.set(at_, count);
    block.set_gaps(gaps);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

 private:
  struct Column {
    DataSet set;
    Hdf5Handle data;
    Hdf5Handle part[2];  ///< Memory types of real and imaginary part.
  };

  void settle() {
    settled_ = true;
    settle_stamps(recording_, settings_, judge_, 0, file_interval_, "attribute \"" + interval_name_ + "\"");
  }

  void choose(std::vector<Group>& groups, const std::vector<DataSet>& sets) {
    // Any data set may also be named by its path.
    for (const DataSet& set : sets)
      if (!settings_.part.empty() && settings_.part == set.path &&
          std::none_of(groups.begin(), groups.end(), [&](const Group& g) { return g.name == set.path; }))
        groups.push_back({set.path, {set}, ""});
    std::size_t largest = 0;
    const auto volume = [](const Group& g) {
      std::uint64_t sum = 0;
      for (const DataSet& set : g.sets) sum += set.rows * set.columns;
      return sum;
    };
    for (std::size_t i = 0; i < groups.size(); ++i) {
      std::uint64_t channels = 0;
      for (const DataSet& set : groups[i].sets) channels += set.columns;
      recording_.parts.push_back({clean_text(groups[i].name),
                                  std::to_string(channels) + (channels == 1 ? " channel, " : " channels, ") +
                                      std::to_string(groups[i].sets.front().rows) + " samples"});
      for (std::size_t k = 0; k < i; ++k)
        if (recording_.parts[k].name == recording_.parts[i].name)
          recording_.parts[i].name += " (" + std::to_string(groups[i].sets.front().rows) + ")";
      if (volume(groups[i]) > volume(groups[largest])) largest = i;
    }
    recording_.part = choose_part(recording_.file, recording_.parts, settings_, largest);
    group_ = groups[recording_.part];
    if (recording_.parts.size() == 1) recording_.parts.clear(), recording_.part = 0;
    std::uint64_t channels = 0;
    for (const DataSet& set : group_.sets) channels += set.columns;
    if (channels > 4096)
      throw Error(Status::input, recording_.file + ": " + std::to_string(channels) + " channels in \"" +
                                     clean_text(group_.name) + "\"; name one data set with --part");
    recording_.samples =
        static_cast<std::int64_t>(std::min<std::uint64_t>(group_.sets.front().rows, std::uint64_t{1} << 56));
  }

  void open_columns() {
    for (const DataSet& set : group_.sets) recording_.complex = recording_.complex || set.complex;
    for (const DataSet& set : group_.sets) {
      Column column{set, Hdf5Handle(H5Dopen2(file_.get(), set.path.c_str(), H5P_DEFAULT)), {}};
      if (!column.data) damaged(set.path);
      if (!hdf5_plausible(column.data.get(), file_bytes_))
        throw Error(Status::input, recording_.file + ": damaged HDF5 file: data set \"" +
                                       clean_text(set.path) + "\" claims " + std::to_string(set.rows) +
                                       " x " + std::to_string(set.columns) +
                                       " values, far more than are stored; copy it again");
      if (set.complex) {
        const Hdf5Handle type(H5Dget_type(column.data.get()));
        std::string names[2];
        complex_members(type.get(), names[0], names[1]);
        for (int p = 0; p < 2; ++p) {
          column.part[p] = Hdf5Handle(H5Tcreate(H5T_COMPOUND, sizeof(double)));
          H5Tinsert(column.part[p].get(), names[p].c_str(), 0, H5T_NATIVE_DOUBLE);
        }
      }
      const std::vector<std::string> titles = column_titles(column.data.get(), set.columns);
      for (std::uint64_t k = 0; k < set.columns; ++k)
        recording_.channels.push_back(channel_of(column, titles, k));
      columns_.push_back(std::move(column));
    }
    make_names_distinct(recording_.channels);
    if (!group_.stamps.empty())
      stamps_ = Hdf5Handle(H5Dopen2(file_.get(), group_.stamps.c_str(), H5P_DEFAULT));
  }

  /// A list of texts among the attributes names the columns of a table.
  std::vector<std::string> column_titles(hid_t set, std::uint64_t columns) {
    std::vector<std::string> out;
    for (const char* name : {"channels", "channel_names", "names", "columns", "labels"}) {
      if (columns < 2 || H5Aexists(set, name) <= 0) continue;
      const Hdf5Handle attribute(H5Aopen(set, name, H5P_DEFAULT));
      const Hdf5Handle type(H5Aget_type(attribute.get())), space(H5Aget_space(attribute.get()));
      if (!type || !space || H5Tget_class(type.get()) != H5T_STRING ||
          H5Sget_simple_extent_npoints(space.get()) != static_cast<hssize_t>(columns))
        continue;
      if (H5Tis_variable_str(type.get()) > 0) {
        std::vector<char*> texts(static_cast<std::size_t>(columns), nullptr);
        if (H5Aread(attribute.get(), type.get(), texts.data()) < 0) continue;
        for (char* text : texts) {
          out.emplace_back(text == nullptr ? "" : text);
          if (text != nullptr) H5free_memory(text);
        }
      } else {
        const std::size_t size = H5Tget_size(type.get());
        if (size == 0 || size > 4096) continue;
        std::string all(size * static_cast<std::size_t>(columns), '\0');
        if (H5Aread(attribute.get(), type.get(), all.data()) < 0) continue;
        for (std::size_t k = 0; k < columns; ++k) {
          const std::string text = all.substr(k * size, size);
          out.push_back(text.substr(0, text.find('\0')));
        }
      }
      return out;
    }
    return out;
  }

  Channel channel_of(const Column& column, const std::vector<std::string>& titles, std::uint64_t k) {
    Channel channel;
    const hid_t set = column.data.get();
    std::string name;
    for (const char* key : {"name", "long_name", "channel", "label", "title"})
      if (const auto text = hdf5_text(set, key); text && name.empty()) name = *text;
    if (k < titles.size())
      channel = channel_from_title(titles[static_cast<std::size_t>(k)]);
    else if (own_ && column.set.columns == 1)
      channel.name = clean_text(name);  // Units stand apart in our own files.
    else if (column.set.columns == 1)
      channel = channel_from_title(name.empty() ? leaf_of(column.set.path) : name);
    else
      channel.name = clean_text(leaf_of(column.set.path)) + " " + std::to_string(k + 1);
    for (const char* key : {"unit", "units", "Unit", "Units"})
      if (const auto text = hdf5_text(set, key); text && !trimmed(*text).empty()) {
        const auto unit = Unit::try_parse(trimmed(*text));
        channel.unit = unit ? *unit : Unit::opaque(clean_text(trimmed(*text)));
        if (!unit)
          recording_.cautions.push_back(
              {"unit-unknown", Severity::note, channel.name,
               "the unit \"" + clean_text(*text) + "\" can't be read; numbers are kept as they are",
               "name it with --calibrate '" + channel.name + ": unit UNIT'"});
        break;
      }
    channel.quantity = quantity_of(channel.unit);
    channel.carrier_hz = hdf5_number(set, "carrier_hz").value_or(0);
    if (const auto text = hdf5_text(set, "point")) channel.point = clean_text(*text);
    return channel;
  }

  /// The first of `names` found on the data set, its group or the root.
  std::optional<double> number_near(std::initializer_list<const char*> names, std::string& found) {
    const hid_t set = columns_.front().data.get();
    const Hdf5Handle group(H5Gopen2(file_.get(), folder_of(group_.sets.front().path).c_str(), H5P_DEFAULT));
    for (const hid_t where : {set, group.get(), file_.get()})
      for (const char* name : names)
        if (const auto value = hdf5_number(where, name); value && std::isfinite(*value)) {
          found = name;
          return value;
        }
    return std::nullopt;
  }

  void describe_axis() {
    std::string ignored;
    if (const auto rate =
            number_near({"rate_hz", "sample_rate", "sampling_rate", "samplerate", "sampling_frequency",
                         "sample_frequency", "rate", "fs", "Fs", "SampleRate", "SamplingRate"},
                        interval_name_);
        rate && *rate > 0)
      file_interval_ = 1 / *rate;
    std::string name;
    if (const auto step = number_near(
            {"interval_s", "dt", "interval", "delta", "sample_interval", "increment", "step_s"}, name);
        step && *step > 0) {
      if (file_interval_ > 0 && std::abs(file_interval_ / *step - 1) > 1e-6)
        recording_.cautions.push_back({"rate-disagrees", Severity::warning, "",
                                       "attribute \"" + interval_name_ + "\" makes the rate " +
                                           format_quantity(1 / file_interval_, "Hz", 7) + ", \"" + name +
                                           "\" makes it " + format_quantity(1 / *step, "Hz", 7) +
                                           "; the first is used",
                                       "give --rate if it is the other"});
      if (file_interval_ == 0) file_interval_ = *step, interval_name_ = name;
    }
    if (const auto start =
            number_near({"start_s", "t0", "start", "start_time", "t_start", "start_offset"}, ignored))
      recording_.axis.start = *start;
    if (!own_) return;
    Axis& axis = recording_.axis;
    const std::string domain = hdf5_text(file_.get(), "axis").value_or("time");
    if (domain == "time") {
      // Nothing more to say.
    } else {
      axis.domain = domain == "frequency" ? Axis::Domain::frequency : Axis::Domain::other;
      axis.name = clean_text(hdf5_text(file_.get(), "axis_name").value_or(domain));
      axis.unit = Unit::try_parse(hdf5_text(file_.get(), "axis_unit").value_or("1")).value_or(Unit());
    }
    if (const auto zero = hdf5_text(file_.get(), "zero_ns")) recording_.zero_ns = std::atoll(zero->c_str());
    if (const auto notes = hdf5_text(file_.get(), "notes"))
      for (const std::string& line : split(*notes, '\n')) {
        const std::size_t mark = line.find('\t');
        if (mark != std::string::npos)
          recording_.notes.emplace_back(clean_text(line.substr(0, mark)), clean_text(line.substr(mark + 1)));
      }
    recording_.format = "HDF5, recording layout";
  }

  void read_set(const Column& column, int part, std::size_t count) {
    const Hdf5Handle space(H5Dget_space(column.data.get()));
    const auto first = static_cast<hsize_t>(at_);
    const hsize_t columns = column.set.columns;
    hsize_t start[2] = {first, 0}, size[2] = {count, columns};
    if (column.set.transposed) start[0] = 0, start[1] = first, size[0] = columns, size[1] = count;
    const int rank = column.set.two_dimensional ? 2 : 1;
    buffer_.resize(count * static_cast<std::size_t>(columns));
    const Hdf5Handle memory(H5Screate_simple(rank, size, nullptr));
    if (part == 1 && !column.set.complex) {
      std::fill(buffer_.begin(), buffer_.end(), 0.0);
      return;
    }
    const hid_t type = column.set.complex ? column.part[part].get() : H5T_NATIVE_DOUBLE;
    if (H5Sselect_hyperslab(space.get(), H5S_SELECT_SET, start, nullptr, size, nullptr) < 0 ||
        H5Dread(column.data.get(), type, memory.get(), space.get(), H5P_DEFAULT, buffer_.data()) < 0)
      damaged(column.set.path);
  }

  void read_stamps(std::int64_t at, std::span<double> to) {
    if (to.empty()) return;
    const std::lock_guard guard(hdf5_lock());
    const Hdf5Handle space(H5Dget_space(stamps_.get()));
    const hsize_t start = static_cast<hsize_t>(at), size = to.size();
    const Hdf5Handle memory(H5Screate_simple(1, &size, nullptr));
    if (H5Sselect_hyperslab(space.get(), H5S_SELECT_SET, &start, nullptr, &size, nullptr) < 0 ||
        H5Dread(stamps_.get(), H5T_NATIVE_DOUBLE, memory.get(), space.get(), H5P_DEFAULT, to.data()) < 0)
      damaged(group_.stamps);
  }

  [[noreturn]] void damaged(const std::string& path) const {
    throw Error(Status::input, recording_.file + ": damaged HDF5 file: data set \"" + clean_text(path) +
                                   "\" can't be read; copy it again");
  }

  ReadSettings settings_;
  Hdf5Handle file_, stamps_;
  Recording recording_;
  Group group_;
  std::vector<Column> columns_;
  std::vector<double> buffer_;
  std::uint64_t file_bytes_ = 0;
  double file_interval_ = 0;
  std::string interval_name_;
  std::int64_t at_ = 0;
  bool own_ = false, settled_ = false;
  StampJudge judge_;
};

}  // namespace

bool recognises_hdf5(const FileHead& head) {
  // The signature may stand behind a user block of 512, 1024, ... bytes.
  for (std::size_t at = 0; at + 8 <= head.bytes.size(); at = at == 0 ? 512 : 2 * at)
    if (head.bytes.compare(at, 8, "\x89HDF\r\n\x1a\n") == 0) return true;
  return false;
}

std::unique_ptr<SampleSource> open_hdf5(const FileHead& head, const ReadSettings& settings) {
  return std::make_unique<Hdf5Source>(head, settings);
}

}  // namespace vprism
