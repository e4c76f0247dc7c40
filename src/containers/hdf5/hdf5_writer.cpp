// hdf5_writer.cpp: the recording layout (docs/formats.md).
//
//     /            attributes layout, axis, axis_name, axis_unit, interval_s (in the axis's unit), start_s,
//                  zero_ns, notes ("key<tab>value" lines)
//     /channels/NNNN   one data set per channel: f64 or f32, or {r, i} where complex; attributes name, unit,
//                      quantity, point, carrier_hz
//     /channels/time   the stamps, only where samples are uneven
#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"
#include "containers/hdf5/hdf5_file.h"
#include "formats/writer.h"

namespace vprism {

namespace {

class Hdf5Writer : public RecordingWriter {
 public:
  Hdf5Writer(const std::string& path, const Recording& r, const WriteSettings& settings)
      : path_(path), complex_(r.complex) {
    if (settings.numbers != "f64" && settings.numbers != "f32")
      throw Error(Status::usage, "--numbers " + settings.numbers + ": hdf5 takes f64 or f32");
    const hid_t stored = settings.numbers == "f32" ? H5T_IEEE_F32LE : H5T_IEEE_F64LE;
    const std::lock_guard guard(hdf5_lock());
    H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);
    const Hdf5Handle made(H5Pcreate(H5P_FILE_CREATE)), access(H5Pcreate(H5P_FILE_ACCESS));
    // Every set that is open holds a buffer: 16 MB of them in all.
    H5Pset_sieve_buf_size(access.get(),
                          std::clamp<std::size_t>((std::size_t{1} << 24) / r.channels.size(), 4096, 65536));
    file_ = Hdf5Handle(H5Fcreate(path.c_str(), H5F_ACC_TRUNC, made.get(), access.get()));
    if (!file_) fail();
    const Axis& axis = r.axis;
    set_hdf5_text(file_.get(), "layout", hdf5_layout_name);
    set_hdf5_text(file_.get(), "axis",
                  axis.domain == Axis::Domain::time        ? "time"
                  : axis.domain == Axis::Domain::frequency ? "frequency"
                                                           : "other");
    if (axis.domain != Axis::Domain::time) {
      set_hdf5_text(file_.get(), "axis_name", axis.name);
      set_hdf5_text(file_.get(), "axis_unit", axis.unit.text());
    }
    set_hdf5_number(file_.get(), "start_s", axis.start);
    if (axis.interval > 0 && !axis.stamped) set_hdf5_number(file_.get(), "interval_s", axis.interval);
    if (r.zero_ns) set_hdf5_text(file_.get(), "zero_ns", std::to_string(*r.zero_ns));
    std::string notes;
    for (const auto& [key, value] : r.notes) notes += key + "\t" + value + "\n";
    if (!notes.empty() && notes.size() < 60000) set_hdf5_text(file_.get(), "notes", notes);
    const Hdf5Handle group(H5Gcreate2(file_.get(), "channels", H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT));
    if (!group) fail();
    Hdf5Handle type(H5Tcopy(stored));
    if (complex_) {
      const std::size_t size = H5Tget_size(stored);
      type = Hdf5Handle(H5Tcreate(H5T_COMPOUND, 2 * size));
      H5Tinsert(type.get(), "r", 0, stored);
      H5Tinsert(type.get(), "i", size, stored);
      pair_ = Hdf5Handle(H5Tcreate(H5T_COMPOUND, 16));
      H5Tinsert(pair_.get(), "r", 0, H5T_NATIVE_DOUBLE);
      H5Tinsert(pair_.get(), "i", 8, H5T_NATIVE_DOUBLE);
    }
    for (std::size_t c = 0; c < r.channels.size(); ++c) {
      const Channel& channel = r.channels[c];
      sets_.push_back(make_set(group.get(), fmt::format("{:04}", c + 1), type.get(), r.samples));
      const hid_t set = sets_.back().get();
      set_hdf5_text(set, "name", channel.name);
      set_hdf5_text(set, "unit", channel.unit.text());
      set_hdf5_text(set, "quantity", channel.quantity);
      if (!channel.point.empty()) set_hdf5_text(set, "point", channel.point);
      if (channel.carrier_hz != 0) set_hdf5_number(set, "carrier_hz", channel.carrier_hz);
    }
    if (axis.stamped) stamps_ = make_set(group.get(), "time", H5T_IEEE_F64LE, r.samples);
  }
  ~Hdf5Writer() override {
    const std::lock_guard guard(hdf5_lock());
    sets_.clear();
    stamps_ = {};
    pair_ = {};
    file_ = {};
  }

  void add(const Block& block) override {
    const std::lock_guard guard(hdf5_lock());
    for (std::size_t c = 0; c < sets_.size(); ++c) {
      if (!complex_) {
        put(sets_[c].get(), H5T_NATIVE_DOUBLE, block.first(), block.size(), block.samples(c).data());
        continue;
      }
      pairs_.clear();
      for (std::size_t n = 0; n < block.size(); ++n) {
        pairs_.push_back(block.samples(c)[n]);
        pairs_.push_back(block.imaginary(c)[n]);
      }
      put(sets_[c].get(), pair_.get(), block.first(), block.size(), pairs_.data());
    }
    if (stamps_) put(stamps_.get(), H5T_NATIVE_DOUBLE, block.first(), block.size(), block.stamps().data());
  }
  void finish() override {
    const std::lock_guard guard(hdf5_lock());
    sets_.clear();
    stamps_ = {};
    if (H5Fflush(file_.get(), H5F_SCOPE_GLOBAL) < 0) fail();
    file_ = {};
  }

 private:
  Hdf5Handle make_set(hid_t group, const std::string& name, hid_t type, std::int64_t samples) {
    const hsize_t size = static_cast<hsize_t>(samples);
    const Hdf5Handle space(H5Screate_simple(1, &size, nullptr));
    const Hdf5Handle plain(H5Pcreate(H5P_DATASET_CREATE));
    // Without times of its own, the same recording gives the same bytes.
    H5Pset_obj_track_times(plain.get(), false);
    Hdf5Handle set(H5Dcreate2(group, name.c_str(), type, space.get(), H5P_DEFAULT, plain.get(), H5P_DEFAULT));
    if (!set) fail();
    return set;
  }
  void put(hid_t set, hid_t type, std::int64_t first, std::size_t count, const double* values) {
    const Hdf5Handle space(H5Dget_space(set));
    const hsize_t start = static_cast<hsize_t>(first), size = count;
    const Hdf5Handle memory(H5Screate_simple(1, &size, nullptr));
    if (H5Sselect_hyperslab(space.get(), H5S_SELECT_SET, &start, nullptr, &size, nullptr) < 0 ||
        H5Dwrite(set, type, memory.get(), space.get(), H5P_DEFAULT, values) < 0)
      fail();
  }
  [[noreturn]] void fail() const { throw Error(Status::output, path_ + ": can't be written as HDF5"); }

  std::string path_;
  bool complex_;
  Hdf5Handle file_, stamps_, pair_;
  std::vector<Hdf5Handle> sets_;
  std::vector<double> pairs_;
};

}  // namespace

std::unique_ptr<RecordingWriter> write_hdf5_file(const std::string& path, const Recording& recording,
                                                 const WriteSettings& settings) {
  return std::make_unique<Hdf5Writer>(path, recording, settings);
}

}  // namespace vprism
