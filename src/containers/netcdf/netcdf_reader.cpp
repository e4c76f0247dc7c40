// netcdf_reader.cpp: netCDF files in the classic formats, by libnetcdf, under the CF conventions: coordinate
// variables, "seconds since ...", scale_factor, add_offset, _FillValue, missing_value and valid_range.
//
// A dimension along which something is measured is a part: its variables are channels, one for each place
// across. The dimension's coordinate variable is the axis; without one, an attribute or a variable of a
// single number gives the rate.
#include <algorithm>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "containers/hdf5/hdf5_meaning.h"
#include "containers/hdf5/hdf5_sets.h"
#include "containers/netcdf/netcdf_groups.h"
#include "containers/packages/entries.h"
#include "formats/documents/key_meaning.h"
#include "formats/stamp_settler.h"
#include "formats/text/clock/clock.h"

namespace vprism {

namespace {

class NetcdfSource : public SampleSource {
 public:
  NetcdfSource(const FileHead& head, const ReadSettings& settings) : settings_(settings), file_(head) {
    recording_.file = head.path;
    recording_.format = "netCDF, classic";
    NetcdfLayout layout = netcdf_layout(file_, head.size, settings.axis);
    if (layout.groups.empty())
      throw Error(Status::input,
                  head.path + ": no variable of numbers along a dimension" +
                      (layout.left_out.empty() ? std::string()
                                               : " with at most " + std::to_string(most_channels) +
                                                     " places across; export fewer places"));
    choose(layout);
    recording_.samples = static_cast<std::int64_t>(group_.length);
    for (const NetcdfSet& set : group_.sets) take_channels(set);
    make_names_distinct(recording_.channels);
    take_settings(layout);
    if (!settings_.axis.empty() && settings_.axis != "none" && group_.axis < 0) {
      std::vector<std::string> names;
      for (const NetcdfSet& set : group_.sets) names.push_back(set.name);
      throw Error(Status::usage,
                  "--axis: " + head.path + ": " + unknown_name("variable", settings_.axis, names));
    }
    if (group_.axis >= 0)
      take_axis();
    else
      settle_interval(recording_, settings_, file_interval_, interval_name_);
  }

  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return group_.axis >= 0; }
  void rewind() override { at_ = 0; }

  void resolve() override {
    if (group_.axis < 0) return;
    stamp_settler_.resolve(recording_.samples,
                           [&](std::int64_t at, std::span<double> to) { read_stamps(at, to); });
    settle();
  }

  std::size_t read(Block& block) override {
    const std::size_t count = std::min(block.capacity(), static_cast<std::size_t>(recording_.samples - at_));
    bool gaps = false;
    std::size_t channel = 0;
    for (const NetcdfSet& set : group_.sets) {
      if (count == 0) break;
      gaps = read_set(set, block, channel, count) || gaps;
      channel += set.columns;
    }
    if (group_.axis >= 0) {
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
  void settle() {
    if (!stamp_settler_.settle()) return;
    settle_stamps(recording_, settings_, stamp_settler_.judge(), stamp_step_, file_interval_, interval_name_);
  }

  void choose(NetcdfLayout& layout) {
    for (const NetcdfGroup& group : layout.groups)
      recording_.parts.push_back({group.name, std::to_string(group.channels()) +
                                                  (group.channels() == 1 ? " channel, " : " channels, ") +
                                                  std::to_string(group.length) + " samples"});
    recording_.part = choose_part(recording_.file, recording_.parts, settings_, layout.best);
    group_ = std::move(layout.groups[recording_.part]);
    if (recording_.parts.size() == 1) recording_.parts.clear(), recording_.part = 0;
  }

  /// The set's samples from `at_` on, into the block's channels from `channel` on; whether any is missing.
  bool read_set(const NetcdfSet& set, Block& block, std::size_t channel, std::size_t count) {
    buffer_.resize(count * set.columns);
    std::vector<std::size_t> start(set.extent.size(), 0), size = set.extent;
    start[set.lead] = static_cast<std::size_t>(at_), size[set.lead] = count;
    file_.read(set.id, start, size, buffer_.data());
    std::size_t inner = 1;
    for (std::size_t k = set.lead + 1; k < set.extent.size(); ++k) inner *= set.extent[k];
    bool gaps = false;
    for (std::size_t k = 0; k < set.columns; ++k) {
      const auto room = block.room(channel + k).subspan(0, count);
      const double* from = buffer_.data() + (k / inner) * count * inner + k % inner;
      for (std::size_t n = 0; n < count; ++n) {
        const double raw = from[n * inner], x = raw < 0 ? raw + set.wrap : raw,
                     value = x * set.scale + set.offset, judged = set.valid_scaled ? value : x;
        const bool missing = !std::isfinite(raw) ||
                             std::find(set.fills.begin(), set.fills.end(), raw) != set.fills.end() ||
                             (set.lowest < set.highest && !(judged >= set.lowest && judged <= set.highest));
        gaps = gaps || missing;
        room[n] = missing ? std::nan("") : value;
      }
    }
    return gaps;
  }

  void take_channels(const NetcdfSet& set) {
    Channel channel;
    const std::string unit = file_.text_of(set.id, "units");
    if (!unit.empty()) channel.unit = Unit::try_parse(unit).value_or(Unit::opaque(clean_text(unit, 24)));
    channel.quantity = quantity_of(channel.unit);
    const std::string title = clean_text(file_.text_of(set.id, "long_name"), 80),
                      name = title.empty() ? set.name : title;
    for (const std::string& place : netcdf_column_names(file_, set)) {
      channel.name = name + place;
      recording_.channels.push_back(channel);
    }
    if (set.lowest < set.highest)
      recording_.cautions.push_back({"range-obeyed", Severity::note, name,
                                     "what lies outside the valid range that the file states (" +
                                         format_number(set.lowest, 6) + " to " +
                                         format_number(set.highest, 6) +
                                         (set.valid_scaled || (set.scale == 1 && set.offset == 0)
                                              ? ") is taken as missing"
                                              : ", before its scale) is taken as missing"),
                                     ""});
    take_interval(set.id);
  }

  void take_interval(const std::string& name, double value, const std::string& source) {
    double factor = 1;
    const Hdf5Meaning meaning = meaning_of_key(name, factor);
    if (file_interval_ > 0 || !(value > 0)) return;
    if (meaning == Hdf5Meaning::rate) file_interval_ = 1 / (value * factor);
    if (meaning == Hdf5Meaning::interval) file_interval_ = value * factor;
    if (file_interval_ > 0) interval_name_ = source;
  }

  /// A rate or an interval among the attributes of a variable or of the file.
  void take_interval(int variable) {
    for (const std::string& name : file_.attributes_of(variable))
      if (const std::vector<double> value = file_.numbers_of(variable, name.c_str()); !value.empty())
        take_interval(name, value[0], "attribute \"" + clean_text(name) + "\"");
  }

  /// Attributes of the file, single numbers and texts.
  void take_settings(const NetcdfLayout& layout) {
    take_interval(NC_GLOBAL);
    const auto note = [&](const std::string& name, const std::string& text,
                          const std::vector<double>& value) {
      if ((text.empty() && value.empty()) || recording_.notes.size() >= 200) return;
      recording_.notes.emplace_back(clean_text(name),
                                    text.empty() ? format_number(value[0], 12) : clean_text(text, 400));
    };
    for (const std::string& name : file_.attributes_of(NC_GLOBAL))
      note(name, file_.text_of(NC_GLOBAL, name.c_str()), file_.numbers_of(NC_GLOBAL, name.c_str()));
    for (const int v : layout.settings) {
      const std::string name = file_.name_of(v);
      std::vector<std::size_t> start, size;
      for (const int d : file_.dimensions_of(v)) start.push_back(0), size.push_back(file_.length_of(d));
      if (file_.type_of(v) == NC_CHAR) {
        note(name, file_.read_text(v, start, size), {});
        continue;
      }
      double value = 0;
      file_.read(v, start, size, &value);
      const std::string unit = clean_text(file_.text_of(v, "units"), 24);
      note(name, format_number(value, 12) + (unit.empty() ? "" : " " + unit), {});
      take_interval(name, value, "variable \"" + name + "\"");
    }
    if (layout.left_out.empty()) return;
    recording_.cautions.push_back({"sets-left-out", Severity::note, "",
                                   std::to_string(layout.left_out.size()) +
                                       (layout.left_out.size() == 1 ? " variable is" : " variables are") +
                                       " left out, with more than " + std::to_string(most_channels) +
                                       " places across or as texts: " + quoted_names(layout.left_out, 6),
                                   "export fewer places of them"});
  }

  void take_axis() {
    Axis& axis = recording_.axis;
    const std::string text = file_.text_of(group_.axis, "units");
    const std::string name = file_.name_of(group_.axis);
    axis.source = "variable \"" + name + "\"";
    double first = 0;
    file_.read(group_.axis, {0}, {1}, &first);
    const auto [counted, zero] = counted_since(text);
    if (zero)
      if (auto caution = calendar_caution(file_.text_of(group_.axis, "calendar")))
        recording_.cautions.push_back(std::move(*caution));
    auto unit = Unit::try_parse(trimmed(counted));
    if (!unit || unit->dimensionless()) unit = Unit::parse(is_frequency_key(name) ? "Hz" : "s");
    if (unit->converts_to(Unit::parse("s"))) {
      stamp_factor_ = unit->convert(1, Unit::parse("s"));
      if (is_counted_since(text)) {
        // Counted from the first sample, so that none of their digits are lost.
        stamp_first_ = first;
        if (zero) recording_.zero_ns = instant_after(*zero, first * stamp_factor_);
      }
    } else if (unit->converts_to(Unit::parse("Hz"))) {
      axis.domain = Axis::Domain::frequency, axis.name = name, axis.unit = Unit::parse("Hz");
      stamp_factor_ = unit->convert(1, axis.unit);
    } else {
      axis.domain = Axis::Domain::other, axis.name = name, axis.unit = *unit;
    }
    const nc_type type = file_.type_of(group_.axis);
    const double digits = type == NC_FLOAT    ? std::numeric_limits<float>::epsilon()
                          : type == NC_DOUBLE ? std::numeric_limits<double>::epsilon()
                                              : 0;
    double last = first;
    if (group_.length > 1) file_.read(group_.axis, {group_.length - 1}, {1}, &last);
    // Whole numbers come as doubles, too.
    const double greatest = std::max(std::abs(first), std::abs(last));
    stamp_step_ =
        (digits > 0 ? digits * greatest : std::max(1.0, std::numeric_limits<double>::epsilon() * greatest)) *
        stamp_factor_;
  }

  void read_stamps(std::int64_t at, std::span<double> to) {
    if (to.empty()) return;
    file_.read(group_.axis, {static_cast<std::size_t>(at)}, {to.size()}, to.data());
    for (double& t : to) t = (t - stamp_first_) * stamp_factor_;
  }

  ReadSettings settings_;
  NetcdfFile file_;
  Recording recording_;
  NetcdfGroup group_;
  std::vector<double> buffer_;
  std::string interval_name_;
  double file_interval_ = 0, stamp_factor_ = 1, stamp_first_ = 0, stamp_step_ = 0;
  std::int64_t at_ = 0;
  StampSettler stamp_settler_;
};

}  // namespace

std::unique_ptr<SampleSource> open_netcdf_file(const FileHead& head, const ReadSettings& settings) {
  return std::make_unique<NetcdfSource>(head, settings);
}

}  // namespace vprism
