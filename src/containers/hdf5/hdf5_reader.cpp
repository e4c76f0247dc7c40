// hdf5_reader.cpp: HDF5 files by the HDF5 library: our own layout (docs/formats.md), and any file with data
// sets of numbers.
// Which data sets are read together is found in hdf5_sets.cpp. Rate or interval, start, unit and name are
// taken from attributes of the data set, its group or the root, under their usual names.
#include <algorithm>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "containers/hdf5/hdf5_columns.h"
#include "containers/hdf5/hdf5_file.h"
#include "containers/hdf5/hdf5_meaning.h"
#include "containers/hdf5/hdf5_probe.h"
#include "containers/hdf5/hdf5_sets.h"
#include "containers/hdf5/hdf5_stamps.h"
#include "formats/format.h"
#include "formats/stamp_settler.h"
#include "formats/text/clock/clock.h"

namespace vprism {

namespace {

class Hdf5Source : public SampleSource {
 public:
  Hdf5Source(const FileHead& head, const ReadSettings& settings) : settings_(settings) {
    const std::lock_guard guard(hdf5_lock());
    recording_.file = head.path;
    recording_.format = "HDF5";
    file_ = open_hdf5_file_safely(head.path, head.size, settings.allow_external);
    own_ = hdf5_text(file_.get(), "layout") == hdf5_layout_name;
    std::vector<Hdf5Refused> refused;
    std::vector<std::string> others;
    const auto sets = hdf5_sets(file_.get(), head.path, settings, refused, &others);
    if (!sets)
      throw Error(Status::input,
                  head.path + ": damaged HDF5 file: its groups can't be walked; copy it again");
    std::vector<Hdf5Group> groups = group_hdf5_sets(*sets, settings.axis);
    if (groups.empty() && !refused.empty())
      throw Error(Status::input, head.path + ": \"" + clean_text(refused.front().path) +
                                     "\" lies in another file, \"" + clean_text(refused.front().file) +
                                     "\", which is not opened unless named by --allow-external");
    if (groups.empty())
      throw Error(
          Status::input,
          head.path + ": no data set whose numbers are channels" +
              (others.empty() ? std::string()
                              : "; \"" + clean_text(others.front()) + "\" holds no numbers, or more than " +
                                    std::to_string(most_channels) +
                                    " channels: see vprism field for points measured together"));
    for (const Hdf5Set& set : *sets)
      if (set.setting) settings_sets_.push_back(set);
    choose(groups, *sets);
    if (!refused.empty())
      recording_.cautions.push_back(
          {"outside-refused", Severity::warning, "",
           std::to_string(refused.size()) + (refused.size() == 1 ? " data set lies" : " data sets lie") +
               " in another file and " + (refused.size() == 1 ? "is" : "are") + " left out: \"" +
               clean_text(refused.front().path) + "\" in \"" + clean_text(refused.front().file) + "\"",
           "name the other file by --allow-external if you trust it"});
    columns_.open(file_.get(), group_, recording_, settings_.allow_external, head.size, own_);
    const std::vector<std::string>& used = columns_.texts_used();
    std::erase_if(others, [&](const std::string& path) {
      return std::find(used.begin(), used.end(), path) != used.end();
    });
    // Dates that are no clock are no channel either.
    for (const Hdf5Set& set : *sets)
      if (set.dates && std::none_of(groups.begin(), groups.end(),
                                    [&](const Hdf5Group& g) { return g.stamps == set.path; }))
        others.push_back(set.path);
    report_left_out(others);
    stamps_.open(file_.get(), group_, recording_.file, settings_.allow_external);
    describe_axis();
    if (stamps_)
      recording_.axis.source = "data set \"" + clean_text(group_.stamps) + "\"";
    else
      settle_interval(recording_, settings_, file_interval_, interval_source());
  }
  ~Hdf5Source() override {
    const std::lock_guard guard(hdf5_lock());
    columns_.close();
    stamps_.close();
    file_ = {};
  }

  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return static_cast<bool>(stamps_); }
  void rewind() override { at_ = 0; }
  std::int64_t seek(std::int64_t sample) override { return at_ = block_start(sample); }

  void resolve() override {
    if (!stamps_) return;
    stamp_settler_.resolve(recording_.samples,
                           [&](std::int64_t at, std::span<double> to) { read_stamps(at, to); });
    settle();
  }

  std::size_t read(Block& block) override {
    const std::size_t count = std::min(block.capacity(), static_cast<std::size_t>(recording_.samples - at_));
    const std::lock_guard guard(hdf5_lock());
    const bool gaps = columns_.read(block, at_, count, recording_);
    if (stamps_) {
      const std::span<double> stamps = block.stamp_room().subspan(0, count);
      read_stamps(at_, stamps);
      if (stamp_settler_.add(at_, stamps, recording_.samples)) settle();
    }
    block.set(at_, count);
    block.set_gaps(gaps);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

 private:
  /// Data sets are named by their path.
  std::string interval_source() const {
    return (interval_name_.rfind('/', 0) == 0 ? "data set \"" : "attribute \"") + interval_name_ + "\"";
  }

  /// What lies beside the channels and is no number.
  void report_left_out(const std::vector<std::string>& others) {
    if (others.empty() || own_) return;
    recording_.cautions.push_back(
        {"sets-left-out", Severity::note, "",
         std::to_string(others.size()) + (others.size() == 1 ? " data set holds" : " data sets hold") +
             " no numbers, or more than " + std::to_string(most_channels) + " channels, and " +
             (others.size() == 1 ? "is" : "are") + " left out: " + quoted_names(others, 4),
         "write what is a channel as numbers"});
  }

  void settle() {
    if (!stamp_settler_.settle()) return;
    settle_stamps(recording_, settings_, stamp_settler_.judge(), stamps_.resolution(), file_interval_,
                  interval_source());
  }

  /// Whether the part names the group of a data set that was put beside others.
  static bool is_joined(const std::vector<Hdf5Group>& groups, const Hdf5Set& set, const std::string& part) {
    return (set.folder() == part || set.folder() == "/" + part) &&
           std::any_of(groups.begin(), groups.end(), [&](const Hdf5Group& g) {
             return std::any_of(g.sets.begin(), g.sets.end(),
                                [&](const Hdf5Set& s) { return s.by_group && s.path == set.path; });
           });
  }

  void choose(std::vector<Hdf5Group>& groups, const std::vector<Hdf5Set>& sets) {
    // Any data set may also be named by its path.
    for (const Hdf5Set& set : sets)
      if (const std::string& part = settings_.part;
          !part.empty() && (part == set.path || is_joined(groups, set, part)) &&
          std::none_of(groups.begin(), groups.end(), [&](const Hdf5Group& g) { return g.name == part; }))
        groups.push_back({part, {set}, ""});
    std::size_t largest = 0;
    const auto volume = [](const Hdf5Group& g) {
      std::uint64_t sum = 0;
      // What may have been read along another dimension goes behind what leaves no doubt.
      for (const Hdf5Set& set : g.sets)
        sum += set.rows * (!set.cautions.empty() && set.shape.several() ? 1 : set.columns);
      return sum;
    };
    for (std::size_t i = 0; i < groups.size(); ++i) {
      std::uint64_t channels = 0;
      for (const Hdf5Set& set : groups[i].sets) channels += set.columns;
      // Data sets of one group that are parts of their own are called so.
      const bool alone = groups[i].sets.size() == 1 && groups[i].name == groups[i].sets[0].folder() &&
                         std::count_if(groups.begin(), groups.end(),
                                       [&](const Hdf5Group& g) { return g.name == groups[i].name; }) > 1;
      recording_.parts.push_back({clean_text(alone ? groups[i].sets[0].path : groups[i].name),
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
    if (group_.sets.front().by_group)
      recording_.cautions.push_back(
          {"groups-joined", Severity::note, "",
           std::to_string(group_.sets.size()) + " groups hold one data set \"" +
               clean_text(group_.sets.front().leaf()) +
               "\" each, of one length and rate: they are its channels",
           "if they are recordings of their own, --part with a group's name takes one"});
    if (recording_.parts.size() == 1) recording_.parts.clear(), recording_.part = 0;
    std::uint64_t channels = 0;
    for (const Hdf5Set& set : group_.sets) channels += set.columns;
    const std::size_t dimensions = group_.sets.front().shape.size.size();
    if (settings_.samples_along > std::max<std::size_t>(dimensions, 1))
      refuse_samples_along(settings_.samples_along, "\"" + clean_text(group_.sets.front().leaf()) + "\"",
                           group_.sets.front().shape.size);
    if (channels > most_channels)
      throw Error(Status::input, recording_.file + ": " + std::to_string(channels) + " channels in \"" +
                                     clean_text(group_.name) + "\"; name one data set with --part");
    recording_.samples =
        static_cast<std::int64_t>(std::min<std::uint64_t>(group_.sets.front().rows, std::uint64_t{1} << 56));
  }

  /// The first that the data set, its group, those around it or the root say.
  std::optional<Hdf5Said> said_near(Hdf5Meaning meaning) {
    const hid_t set = columns_.front();
    if (auto said = set < 0 ? std::nullopt : hdf5_said(set, meaning)) return said;
    if (auto said = hdf5_said_around(file_.get(), hdf5_folder(group_.sets.front().path), meaning))
      return said;
    return said_by_set(meaning);
  }

  /// The number that a data set of that meaning holds.
  std::optional<Hdf5Said> number_in(const Hdf5Set& set, Hdf5Meaning meaning) {
    double factor = 1, value = 0;
    if (meaning_of_key(hdf5_leaf(set.path), factor) != meaning) return std::nullopt;
    const Hdf5Handle data(open_hdf5_set(file_.get(), set.path, recording_.file, settings_.allow_external));
    if (!data || H5Dread(data.get(), H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, &value) < 0 ||
        value == 0)
      return std::nullopt;
    return Hdf5Said{set.path, value * factor, ""};
  }

  /// A data set of a single number that is called so: beside the channels, else at the root, else anywhere if
  /// there is but one.
  std::optional<Hdf5Said> said_by_set(Hdf5Meaning meaning) {
    const std::string folder = hdf5_folder(group_.sets.front().path);
    for (const std::string& place : {folder, std::string("/")})
      for (const Hdf5Set& set : settings_sets_)
        if (hdf5_folder(set.path) == place)
          if (auto said = number_in(set, meaning)) return said;
    std::optional<Hdf5Said> out;
    for (const Hdf5Set& set : settings_sets_) {
      auto said = number_in(set, meaning);
      if (said && out) return std::nullopt;
      if (said) out = std::move(said);
    }
    return out;
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
    stamps_.describe(recording_);
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

  void read_stamps(std::int64_t at, std::span<double> to) {
    const std::lock_guard guard(hdf5_lock());
    stamps_.read(at, to);
  }

  ReadSettings settings_;
  Hdf5Handle file_;
  Hdf5Stamps stamps_;
  Recording recording_;
  Hdf5Group group_;
  Hdf5Columns columns_;
  std::vector<Hdf5Set> settings_sets_;  ///< Rates and the like that are data sets.
  double file_interval_ = 0;
  std::string interval_name_;
  std::int64_t at_ = 0;
  bool own_ = false;
  StampSettler stamp_settler_;
};

}  // namespace

std::unique_ptr<SampleSource> open_hdf5_file(const FileHead& head, const ReadSettings& settings) {
  return std::make_unique<Hdf5Source>(head, settings);
}

}  // namespace vprism
