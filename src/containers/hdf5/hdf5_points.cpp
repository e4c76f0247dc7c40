// hdf5_points.cpp: recordings of many points in HDF5.
//
// The values: a data set of three dimensions [frame][point][component], or of two [frame][point], numbers of
// any type; the largest, unless one is named. The places: a data set [point][2 or 3], called coordinates,
// geometry, points, positions, xyz or nodes, or else any of that shape. Rate or interval and units from
// attributes of the data set, its group or the root, or from a data set of times as long as there are frames.
#include <oneapi/tbb/blocked_range.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/error.h"
#include "base/text.h"
#include "containers/hdf5/hdf5_file.h"
#include "containers/hdf5/hdf5_meaning.h"
#include "containers/hdf5/hdf5_probe.h"
#include "containers/hdf5/hdf5_sets.h"
#include "containers/packages/entries.h"
#include "formats/files/input_file.h"

namespace vprism {

namespace {

struct ShapedSet {
  std::string path;
  std::vector<hsize_t> size;
  double volume() const {
    double v = 1;
    for (const hsize_t s : size) v *= static_cast<double>(s);
    return v;
  }
};

struct ShapeWalk {
  hid_t file;
  const std::string& file_path;
  const std::vector<std::string>& allowed;
  std::vector<ShapedSet> sets;
};

herr_t visit_shape(hid_t, const char* name, const H5O_info_t* info, void* data) {
  auto& walk = *static_cast<ShapeWalk*>(data);
  if (info->type != H5O_TYPE_DATASET) return 0;
  if (walk.sets.size() >= 10000) return 1;
  const Hdf5Handle set(H5Dopen2(walk.file, name, H5P_DEFAULT));
  if (!set || !hdf5_outside(set.get(), walk.file_path, walk.allowed).empty()) return 0;
  const Hdf5Handle type(H5Dget_type(set.get())), space(H5Dget_space(set.get()));
  const H5T_class_t kind = type ? H5Tget_class(type.get()) : H5T_NO_CLASS;
  const int rank = space ? H5Sget_simple_extent_ndims(space.get()) : 0;
  if ((kind != H5T_FLOAT && kind != H5T_INTEGER) || rank < 1 || rank > 3) return 0;
  ShapedSet out{std::string("/") + name, std::vector<hsize_t>(static_cast<std::size_t>(rank))};
  H5Sget_simple_extent_dims(space.get(), out.size.data(), nullptr);
  walk.sets.push_back(std::move(out));
  return 0;
}

class Hdf5Points : public PointSource {
 public:
  Hdf5Points(const FileHead& head, const PointReadSettings& settings) {
    const std::lock_guard guard(hdf5_lock());
    recording_.file = head.path;
    recording_.format = "HDF5, points";
    allowed_ = settings.read.allow_external;
    file_ = open_hdf5_file_safely(head.path, head.size, allowed_);
    ShapeWalk walk{file_.get(), head.path, allowed_, {}};
    if (H5Ovisit(file_.get(), H5_INDEX_NAME, H5_ITER_INC, visit_shape, &walk) < 0)
      throw Error(Status::input, head.path + ": damaged HDF5 file: it can't be opened; copy it again");
    const ShapedSet values = choose_values(walk.sets, settings.read.part);
    values_ = open_hdf5_set(file_.get(), values.path, recording_.file, allowed_);
    if (!values_) damaged(values.path);
    if (!hdf5_plausible(values_.get(), head.size))
      throw Error(Status::input, head.path + ": damaged HDF5 file: data set \"" + clean_text(values.path) +
                                     "\" claims far more values than are stored; copy it again");
    path_ = values.path;
    components_ = values.size.size() == 3 ? static_cast<std::size_t>(values.size[2]) : 1;
    recording_.frames = static_cast<std::int64_t>(values.size[0]);
    read_places(walk.sets, values, settings.coordinates);
    describe(values);
    settle_axis(walk.sets, values, settings.read);
    // Plain numbers in one piece are read past the library, which would take each frame's part by itself.
    const Hdf5Handle plain(H5Dget_create_plist(values_.get())), type(H5Dget_type(values_.get()));
    const haddr_t at = H5Dget_offset(values_.get());
    const bool wide = H5Tequal(type.get(), H5T_IEEE_F64LE) > 0,
               narrow = H5Tequal(type.get(), H5T_IEEE_F32LE) > 0;
    const std::uint64_t bytes = wide ? 8 : 4;
    if (H5Pget_layout(plain.get()) == H5D_CONTIGUOUS && H5Pget_external_count(plain.get()) == 0 &&
        at != HADDR_UNDEF && (wide || narrow) &&
        at + bytes * static_cast<std::uint64_t>(values.volume()) <= head.size) {
      direct_.emplace(head.path);
      offset_ = at, width_ = bytes;
    }
  }
  ~Hdf5Points() override {
    const std::lock_guard guard(hdf5_lock());
    values_ = {};
    file_ = {};
  }

  const PointRecording& recording() const override { return recording_; }

  bool by_frames() const override { return true; }
  void read(std::span<const PointRun> runs, std::span<double> out, std::size_t step) override {
    const auto frames = static_cast<std::size_t>(recording_.frames);
    std::size_t to = 0;
    for (const PointRun& run : runs) {
      if (!direct_) read_frames(run, out.subspan(to), step);
      to += run.count * components_;
    }
    if (direct_)
      oneapi::tbb::parallel_for(oneapi::tbb::blocked_range<std::size_t>(0, frames, 64),
                                [&](const auto& range) {
                                  for (std::size_t f = range.begin(); f < range.end(); ++f)
                                    read_direct(f, runs, out.subspan(f * step));
                                });
  }

 private:
  ShapedSet choose_values(const std::vector<ShapedSet>& sets, const std::string& asked) const {
    const ShapedSet* best = nullptr;
    for (const ShapedSet& set : sets) {
      if (!asked.empty()) {
        if (set.path == asked || set.path == "/" + asked || hdf5_leaf(set.path) == asked) best = &set;
        continue;
      }
      if (set.size.size() < 2 || (set.size.size() == 2 && set.size[1] <= 3)) continue;
      if (best == nullptr || set.size.size() > best->size.size() ||
          (set.size.size() == best->size.size() && set.volume() > best->volume()))
        best = &set;
    }
    if (best == nullptr || best->size.size() < 2 || best->size[0] < 4 || best->size[1] < 1) {
      std::vector<std::string> names;
      for (const ShapedSet& set : sets) names.push_back(set.path);
      throw Error(asked.empty() ? Status::input : Status::usage,
                  asked.empty()
                      ? recording_.file + ": no data set [frame, point, component] of four frames or more"
                      : "--part: " + unknown_name("data set", asked, names));
    }
    return *best;
  }

  void read_places(const std::vector<ShapedSet>& sets, const ShapedSet& values, const std::string& asked) {
    const hsize_t points = values.size[1];
    const ShapedSet* best = nullptr;
    int rank = 0;
    for (const ShapedSet& set : sets) {
      if (set.path == values.path || set.size.size() != 2 || set.size[0] != points || set.size[1] < 1 ||
          set.size[1] > 3)
        continue;
      const std::string leaf = lower_case(hdf5_leaf(set.path));
      int worth = 1;
      for (const char* name :
           {"coordinates", "geometry", "points", "positions", "xyz", "nodes", "coords", "places"})
        if (leaf == name) worth = 2;
      if (!asked.empty())
        worth = set.path == asked || set.path == "/" + asked || leaf == lower_case(asked) ? 3 : 0;
      if (worth > rank) best = &set, rank = worth;
    }
    if (best == nullptr) {
      if (!asked.empty())
        throw Error(Status::usage, "--coordinates " + clean_text(asked) + ": no data set [" +
                                       std::to_string(points) + " points, 2 or 3] of that name in " +
                                       recording_.file);
      for (hsize_t p = 0; p < points; ++p)
        recording_.points.push_back({static_cast<std::int64_t>(p) + 1, static_cast<double>(p), 0, 0});
      recording_.cautions.push_back(
          {"places-unknown", Severity::warning, "",
           "the file holds no places of its " + std::to_string(points) + " points; they are put in a row",
           "name their data set with --coordinates"});
      return;
    }
    const Hdf5Handle set = open_hdf5_set(file_.get(), best->path, recording_.file, allowed_);
    std::vector<double> places(static_cast<std::size_t>(points * best->size[1]));
    if (!set || H5Dread(set.get(), H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, places.data()) < 0)
      damaged(best->path);
    double factor = 1;
    for (const char* key : {"unit", "units"})
      if (const auto text = hdf5_text(set.get(), key)) {
        const auto unit = Unit::try_parse(trimmed(*text));
        if (unit && unit->converts_to(Unit::parse("m")) && !unit->dimensionless())
          factor = unit->convert(1, Unit::parse("m"));
      }
    const auto width = static_cast<std::size_t>(best->size[1]);
    for (std::size_t p = 0; p < points; ++p) {
      Node node{static_cast<std::int64_t>(p) + 1, 0, 0, 0};
      node.x = factor * places[p * width];
      if (width > 1) node.y = factor * places[p * width + 1];
      if (width > 2) node.z = factor * places[p * width + 2];
      recording_.points.push_back(node);
    }
  }

  void describe(const ShapedSet& values) {
    const hid_t set = values_.get();
    std::string name;
    for (const char* key : {"name", "long_name", "quantity", "label", "title"})
      if (const auto text = hdf5_text(set, key); text && name.empty()) name = clean_text(*text);
    Unit unit;
    for (const char* key : {"unit", "units"})
      if (const auto text = hdf5_text(set, key); text && !trimmed(*text).empty()) {
        const auto known = Unit::try_parse(trimmed(*text));
        unit = known ? *known : Unit::opaque(clean_text(trimmed(*text)));
        break;
      }
    const std::vector<std::string> titles = hdf5_column_titles(set, components_);
    for (std::size_t c = 0; c < components_; ++c) {
      Channel channel;
      if (c < titles.size())
        channel = channel_from_title(titles[c]);
      else if (components_ == 1)
        channel.name = name.empty() ? clean_text(hdf5_leaf(values.path)) : name;
      else
        channel.name = (name.empty() ? clean_text(hdf5_leaf(values.path)) : name) + " " +
                       (components_ <= 3 ? std::string(1, "xyz"[c]) : std::to_string(c + 1));
      if (channel.unit.text() == "1") channel.unit = unit;
      channel.quantity = quantity_of(channel.unit);
      recording_.variables.push_back(std::move(channel));
    }
    make_names_distinct(recording_.variables);
  }

  void settle_axis(const std::vector<ShapedSet>& sets, const ShapedSet& values, const ReadSettings& read) {
    Recording timed;
    timed.file = recording_.file;
    timed.samples = recording_.frames;
    double interval = 0;
    std::string source;
    const Hdf5Handle group(H5Gopen2(file_.get(), hdf5_folder(values.path).c_str(), H5P_DEFAULT));
    for (const hid_t where : {values_.get(), group.get(), file_.get()}) {
      if (where < 0) continue;
      if (const auto said = hdf5_said(where, Hdf5Meaning::rate); said && said->value > 0 && interval == 0)
        interval = 1 / said->value, source = "attribute \"" + clean_text(said->key) + "\"";
      if (const auto said = hdf5_said(where, Hdf5Meaning::interval); said && said->value > 0 && interval == 0)
        interval = said->value, source = "attribute \"" + clean_text(said->key) + "\"";
      if (const auto said = hdf5_said(where, Hdf5Meaning::start); said && timed.axis.start == 0)
        timed.axis.start = said->value;
    }
    for (const ShapedSet& set : sets) {
      if (set.size.size() != 1 || set.size[0] != values.size[0] || interval > 0) continue;
      const std::string leaf = lower_case(hdf5_leaf(set.path));
      if (leaf != "time" && leaf != "t" && leaf != "times" && leaf != "time_s") continue;
      const Hdf5Handle times = open_hdf5_set(file_.get(), set.path, recording_.file, allowed_);
      std::vector<double> t(static_cast<std::size_t>(set.size[0]));
      if (!times || H5Dread(times.get(), H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, t.data()) < 0)
        damaged(set.path);
      StampJudge judge;
      judge.add(t);
      const Axis axis = judge.axis(0);
      if (axis.stamped)
        throw Error(Status::analysis, recording_.file + ": the frames' times in \"" + clean_text(set.path) +
                                          "\" are not even (jitter " + format_number(axis.jitter, 3) +
                                          " of a step); give --rate if they are meant to be");
      interval = axis.interval, timed.axis.start = axis.start,
      source = "data set \"" + clean_text(set.path) + "\"";
    }
    settle_interval(timed, read, interval, source);
    recording_.axis = timed.axis;
    recording_.cautions.insert(recording_.cautions.end(), timed.cautions.begin(), timed.cautions.end());
  }

  /// One frame of all runs.
  void read_direct(std::size_t frame, std::span<const PointRun> runs, std::span<double> out) const {
    const std::uint64_t row = recording_.points.size() * components_;
    std::size_t to = 0;
    for (const PointRun& run : runs) {
      const std::size_t each = run.count * components_;
      const std::span<double> part = out.subspan(to, each);
      // Single numbers go to the end of their place first, and are widened from its head on.
      char* const bytes = reinterpret_cast<char*>(part.data()) + (8 - width_) * each;
      direct_->read(offset_ + width_ * (frame * row + run.first * components_), {bytes, each * width_});
      if (width_ == 4)
        for (std::size_t n = 0; n < each; ++n) {
          float single;
          std::memcpy(&single, bytes + 4 * n, sizeof single);
          part[n] = single;
        }
      to += each;
    }
  }

  /// All frames of one run, through the library.
  void read_frames(const PointRun& run, std::span<double> out, std::size_t step) const {
    const std::lock_guard guard(hdf5_lock());
    const auto frames = static_cast<hsize_t>(recording_.frames);
    const Hdf5Handle space(H5Dget_space(values_.get()));
    const hsize_t start[3] = {0, run.first, 0}, size[3] = {frames, run.count, components_};
    const hsize_t row = run.count * components_, room[2] = {frames, step}, nothing[2] = {0, 0},
                  part[2] = {frames, row};
    const Hdf5Handle memory(H5Screate_simple(2, room, nullptr));
    if (H5Sselect_hyperslab(memory.get(), H5S_SELECT_SET, nothing, nullptr, part, nullptr) < 0 ||
        H5Sselect_hyperslab(space.get(), H5S_SELECT_SET, start, nullptr, size, nullptr) < 0 ||
        H5Dread(values_.get(), H5T_NATIVE_DOUBLE, memory.get(), space.get(), H5P_DEFAULT, out.data()) < 0)
      damaged(path_);
  }

  [[noreturn]] void damaged(const std::string& path) const {
    throw Error(Status::input, recording_.file + ": damaged HDF5 file: data set \"" + clean_text(path) +
                                   "\" can't be read; copy it again");
  }

  PointRecording recording_;
  std::vector<std::string> allowed_;  ///< Files that this one may take numbers from.
  Hdf5Handle file_, values_;
  std::string path_;
  std::size_t components_ = 1;
  std::optional<InputFile> direct_;
  std::uint64_t offset_ = 0, width_ = 8;
};

}  // namespace

std::unique_ptr<PointSource> open_hdf5_points_file(const FileHead& head, const PointReadSettings& settings) {
  return std::make_unique<Hdf5Points>(head, settings);
}

}  // namespace vprism
