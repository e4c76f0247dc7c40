// hdf5_reader.cpp: HDF5 files by the HDF5 library: our own layout (docs/formats.md), and any file with data
// sets of numbers.
// Which data sets are read together is found in hdf5_sets.cpp. Rate or interval, start, unit and name are
// taken from attributes of the data set, its group or the root, under their usual names.
#include <algorithm>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "containers/hdf5_file.h"
#include "containers/hdf5_meaning.h"
#include "containers/hdf5_probe.h"
#include "containers/hdf5_sets.h"
#include "formats/clock.h"
#include "formats/format.h"

namespace vprism {

namespace {

class Hdf5Source : public SampleSource {
 public:
  Hdf5Source(const FileHead& head, const ReadSettings& settings) : settings_(settings) {
    const std::lock_guard guard(hdf5_lock());
    recording_.file = head.path;
    recording_.format = "HDF5";
    file_bytes_ = head.size;
    file_ = open_hdf5_file_safely(head.path, head.size, settings.allow_external);
    own_ = hdf5_text(file_.get(), "layout") == hdf5_layout_name;
    std::vector<Hdf5Refused> refused;
    const auto sets = hdf5_sets(file_.get(), head.path, settings.allow_external, refused);
    if (!sets)
      throw Error(Status::input,
                  head.path + ": damaged HDF5 file: its groups can't be walked; copy it again");
    std::vector<Hdf5Group> groups = group_hdf5_sets(*sets, settings.axis);
    if (groups.empty() && !refused.empty())
      throw Error(Status::input, head.path + ": \"" + clean_text(refused.front().path) +
                                     "\" lies in another file, \"" + clean_text(refused.front().file) +
                                     "\", which is not opened unless named by --allow-external");
    if (groups.empty())
      throw Error(Status::input, head.path + ": no data set of numbers with one or two dimensions");
    choose(groups, *sets);
    if (!refused.empty())
      recording_.cautions.push_back(
          {"outside-refused", Severity::warning, "",
           std::to_string(refused.size()) + (refused.size() == 1 ? " data set lies" : " data sets lie") +
               " in another file and " + (refused.size() == 1 ? "is" : "are") + " left out: \"" +
               clean_text(refused.front().path) + "\" in \"" + clean_text(refused.front().file) + "\"",
           "name the other file by --allow-external if you trust it"});
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
            const double x = from[n * step];
            room[n] = (x - column.raw_zero) * column.scale + column.offset;
            if (!std::isfinite(room[n]) || x == column.fill) room[n] = std::nan(""), gaps = true;
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
    Hdf5Set set;
    Hdf5Handle data;
    Hdf5Handle part[2];                                      ///< Memory types of real and imaginary part.
    double scale = 1, offset = 0, raw_zero = 0;              ///< Channel: (stored - raw_zero) scale + offset.
    double fill = std::numeric_limits<double>::quiet_NaN();  ///< Stored for a number that is missing.
  };

  void settle() {
    settled_ = true;
    settle_stamps(recording_, settings_, judge_, 0, file_interval_, "attribute \"" + interval_name_ + "\"");
  }

  void choose(std::vector<Hdf5Group>& groups, const std::vector<Hdf5Set>& sets) {
    // Any data set may also be named by its path.
    for (const Hdf5Set& set : sets)
      if (!settings_.part.empty() && settings_.part == set.path &&
          std::none_of(groups.begin(), groups.end(), [&](const Hdf5Group& g) { return g.name == set.path; }))
        groups.push_back({set.path, {set}, ""});
    std::size_t largest = 0;
    const auto volume = [](const Hdf5Group& g) {
      std::uint64_t sum = 0;
      for (const Hdf5Set& set : g.sets) sum += set.rows * set.columns;
      return sum;
    };
    for (std::size_t i = 0; i < groups.size(); ++i) {
      std::uint64_t channels = 0;
      for (const Hdf5Set& set : groups[i].sets) channels += set.columns;
      recording_.parts.push_back({clean_text(groups[i].name),
                                  std::to_string(channels) + (channels == 1 ? " channel, " : " channels, ") +
                                      std::to_string(groups[i].sets.front().rows) + " samples"});
      const Hdf5Set& front = groups[i].sets.front();
      for (const std::string& tail :
           {front.interval > 0 ? " at " + format_quantity(1 / front.interval, "Hz", 9) : std::string(),
            " (" + std::to_string(front.rows) + ")", " (part " + std::to_string(i + 1) + ")"})
        for (std::size_t k = 0; k < i; ++k)
          if (recording_.parts[k].name == recording_.parts[i].name) {
            recording_.parts[i].name += tail;
            break;
          }
      if (volume(groups[i]) > volume(groups[largest])) largest = i;
    }
    recording_.part = choose_part(recording_.file, recording_.parts, settings_, largest);
    group_ = groups[recording_.part];
    if (recording_.parts.size() == 1) recording_.parts.clear(), recording_.part = 0;
    std::uint64_t channels = 0;
    for (const Hdf5Set& set : group_.sets) channels += set.columns;
    if (channels > 4096)
      throw Error(Status::input, recording_.file + ": " + std::to_string(channels) + " channels in \"" +
                                     clean_text(group_.name) + "\"; name one data set with --part");
    recording_.samples =
        static_cast<std::int64_t>(std::min<std::uint64_t>(group_.sets.front().rows, std::uint64_t{1} << 56));
  }

  void open_columns() {
    for (const Hdf5Set& set : group_.sets) recording_.complex = recording_.complex || set.complex;
    for (const Hdf5Set& set : group_.sets) {
      Column column{set, open_hdf5_set(file_.get(), set.path, recording_.file, settings_.allow_external), {}};
      if (!column.data) damaged(set.path);
      if (!hdf5_plausible(column.data.get(), file_bytes_))
        throw Error(Status::input, recording_.file + ": damaged HDF5 file: data set \"" +
                                       clean_text(set.path) + "\" claims " + std::to_string(set.rows) +
                                       " x " + std::to_string(set.columns) +
                                       " values, far more than are stored; copy it again");
      if (set.complex) {
        const Hdf5Handle type(H5Dget_type(column.data.get()));
        std::string names[2];
        hdf5_complex_members(type.get(), names[0], names[1]);
        for (int p = 0; p < 2; ++p) {
          column.part[p] = Hdf5Handle(H5Tcreate(H5T_COMPOUND, sizeof(double)));
          H5Tinsert(column.part[p].get(), names[p].c_str(), 0, H5T_NATIVE_DOUBLE);
        }
      }
      take_scale(column);
      const std::vector<std::string> titles = hdf5_column_titles(column.data.get(), set.columns);
      for (std::uint64_t k = 0; k < set.columns; ++k)
        recording_.channels.push_back(channel_of(column, titles, k));
      columns_.push_back(std::move(column));
    }
    make_names_distinct(recording_.channels);
    if (!group_.stamps.empty())
      stamps_ = open_hdf5_set(file_.get(), group_.stamps, recording_.file, settings_.allow_external);
  }

  Channel channel_of(const Column& column, const std::vector<std::string>& titles, std::uint64_t k) {
    Channel channel;
    const hid_t set = column.data.get();
    std::string name;
    for (const char* key : {"name", "long_name"})
      if (const auto text = hdf5_text(set, key); text && name.empty()) name = *text;
    if (const auto said = hdf5_said(set, Hdf5Meaning::name); said && name.empty()) name = said->text;
    if (k < titles.size())
      channel = channel_from_title(titles[static_cast<std::size_t>(k)]);
    else if (own_ && column.set.columns == 1)
      channel.name = clean_text(name);  // Units stand apart in our own files.
    else if (column.set.columns == 1)
      channel = channel_from_title(name.empty() ? hdf5_leaf(column.set.path) : name);
    else
      channel.name = clean_text(hdf5_leaf(column.set.path)) + " " + std::to_string(k + 1);
    if (const auto said = hdf5_said(set, Hdf5Meaning::unit)) {
      const auto unit = Unit::try_parse(said->text);
      channel.unit = unit ? *unit : Unit::opaque(clean_text(said->text));
      if (!unit)
        recording_.cautions.push_back(
            {"unit-unknown", Severity::note, channel.name,
             "the unit \"" + clean_text(said->text) + "\" can't be read; numbers are kept as they are",
             "name it with --calibrate '" + channel.name + ": unit UNIT'"});
    }
    channel.quantity = quantity_of(channel.unit);
    channel.carrier_hz = hdf5_number(set, "carrier_hz").value_or(0);
    if (const auto text = hdf5_text(set, "point")) channel.point = clean_text(*text);
    return channel;
  }

  /// What integers stand for, and what stands for a missing number, by the set's attributes.
  void take_scale(Column& column) {
    const hid_t set = column.data.get();
    if (const auto fill = hdf5_said(set, Hdf5Meaning::fill)) column.fill = fill->value;
    const auto scale = hdf5_said(set, Hdf5Meaning::scale), offset = hdf5_said(set, Hdf5Meaning::offset),
               zero = hdf5_said(set, Hdf5Meaning::raw_zero);
    if (own_ || column.set.complex || (!scale && !offset)) return;
    const double factor = scale ? scale->value : 1, add = offset ? offset->value : 0;
    if (factor == 1 && add == 0) return;
    const Hdf5Handle type(H5Dget_type(set));
    // Conventions that say so themselves hold for floats, too.
    // An offset alone may be one in time.
    const bool applies = (H5Tget_class(type.get()) == H5T_INTEGER && scale) ||
                         (scale && lower_case(scale->key) == "scale_factor") ||
                         (offset && lower_case(offset->key) == "add_offset");
    std::string said =
        scale ? "\"" + clean_text(scale->key) + "\" " + format_number(factor, 9) : std::string();
    if (offset)
      said += (said.empty() ? "\"" : " and \"") + clean_text(offset->key) + "\" " + format_number(add, 9);
    const std::string leaf = clean_text(hdf5_leaf(column.set.path));
    if (!applies) {
      recording_.cautions.push_back({"scale-not-applied", Severity::note, leaf,
                                     "the attributes " + said + " are not applied: " +
                                         (scale ? "its numbers are floats, which hold values as a rule"
                                                : "an offset alone may be one in time"),
                                     "apply them with --calibrate if they are not"});
      return;
    }
    column.scale = factor, column.offset = add;
    if (zero) column.raw_zero = zero->value;
    recording_.cautions.push_back(
        {"scale-applied", Severity::note, leaf, "its integers are turned by the attributes " + said, ""});
  }

  /// The first that the data set, its group or the root says.
  std::optional<Hdf5Said> said_near(Hdf5Meaning meaning) {
    const hid_t set = columns_.front().data.get();
    const Hdf5Handle group(H5Gopen2(file_.get(), hdf5_folder(group_.sets.front().path).c_str(), H5P_DEFAULT));
    for (const hid_t where : {set, group.get(), file_.get()})
      if (auto said = where < 0 ? std::nullopt : hdf5_said(where, meaning)) return said;
    return std::nullopt;
  }

  void describe_axis() {
    const auto rate = said_near(Hdf5Meaning::rate), step = said_near(Hdf5Meaning::interval),
               start = said_near(Hdf5Meaning::start);
    if (rate && rate->value > 0) file_interval_ = 1 / rate->value, interval_name_ = rate->key;
    if (step && step->value > 0) {
      if (file_interval_ > 0 && std::abs(file_interval_ / step->value - 1) > 1e-6)
        recording_.cautions.push_back({"rate-disagrees", Severity::warning, "",
                                       "attribute \"" + clean_text(interval_name_) + "\" makes the rate " +
                                           format_quantity(1 / file_interval_, "Hz", 7) + ", \"" +
                                           clean_text(step->key) + "\" makes it " +
                                           format_quantity(1 / step->value, "Hz", 7) + "; the first is used",
                                       "give --rate if it is the other"});
      if (file_interval_ == 0) file_interval_ = step->value, interval_name_ = step->key;
    }
    interval_name_ = clean_text(interval_name_);
    if (start) recording_.axis.start = start->value;
    describe_stamps();
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

  /// What the numbers of the axis count: seconds unless its units, or its name, say otherwise.
  void describe_stamps() {
    if (!stamps_) return;
    Axis& axis = recording_.axis;
    std::string text;
    if (const auto said = hdf5_said(stamps_.get(), Hdf5Meaning::unit)) text = said->text;
    if (const std::size_t since = text.find(" since "); since != std::string::npos) {
      if (const auto zero = parse_date_time(trimmed(std::string_view(text).substr(since + 7))))
        recording_.zero_ns = *zero;
      text.resize(since);
    }
    const std::string leaf = hdf5_leaf(group_.stamps);
    auto unit = Unit::try_parse(trimmed(text));
    if (!unit || unit->dimensionless()) unit = Unit::parse(is_frequency_name(leaf) ? "Hz" : "s");
    if (unit->converts_to(Unit::parse("s"))) {
      stamp_factor_ = unit->convert(1, Unit::parse("s"));
      return;
    }
    const bool frequency = unit->converts_to(Unit::parse("Hz"));
    axis.domain = frequency ? Axis::Domain::frequency : Axis::Domain::other;
    axis.name = clean_text(leaf);
    axis.unit = frequency ? Unit::parse("Hz") : *unit;
    if (frequency) stamp_factor_ = unit->convert(1, axis.unit);
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
    for (double& t : to) t *= stamp_factor_;
  }

  [[noreturn]] void damaged(const std::string& path) const {
    throw Error(Status::input, recording_.file + ": damaged HDF5 file: data set \"" + clean_text(path) +
                                   "\" can't be read; copy it again");
  }

  ReadSettings settings_;
  Hdf5Handle file_, stamps_;
  Recording recording_;
  Hdf5Group group_;
  std::vector<Column> columns_;
  std::vector<double> buffer_;
  std::uint64_t file_bytes_ = 0;
  double file_interval_ = 0, stamp_factor_ = 1;
  std::string interval_name_;
  std::int64_t at_ = 0;
  bool own_ = false, settled_ = false;
  StampJudge judge_;
};

}  // namespace

std::unique_ptr<SampleSource> open_hdf5_file(const FileHead& head, const ReadSettings& settings) {
  return std::make_unique<Hdf5Source>(head, settings);
}

}  // namespace vprism
