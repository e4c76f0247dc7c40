// hdf5_map.cpp: a table of numbers over two axes as HDF5 (formats/files/map_writer.h).
#include <cmath>

#include "base/error.h"
#include "containers/hdf5/hdf5_file.h"
#include "containers/packages/entries.h"

namespace vprism {

namespace {

class Hdf5Map : public MapWriter {
 public:
  Hdf5Map(const std::string& path, const MapAxes& axes, std::size_t rows)
      : path_(path), columns_(axes.x.size()), rows_(rows), y_name_(axes.y_name) {
    const std::lock_guard guard(hdf5_lock());
    H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);
    file_ = Hdf5Handle(H5Fcreate(path.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT));
    check(static_cast<bool>(file_));
    set_hdf5_text(file_.get(), "layout", "vprism map 1");
    put("x", axes.x, axes.x_name);
    values_ = make_set("values", axes.value_name, {rows_, columns_});
  }
  ~Hdf5Map() override {
    const std::lock_guard guard(hdf5_lock());
    values_ = {};
    file_ = {};
  }
  void row(double y, std::span<const double> values) override {
    const std::lock_guard guard(hdf5_lock());
    const Hdf5Handle space(H5Dget_space(values_.get()));
    const hsize_t start[2] = {y_.size(), 0}, size[2] = {1, columns_};
    const Hdf5Handle memory(H5Screate_simple(2, size, nullptr));
    check(H5Sselect_hyperslab(space.get(), H5S_SELECT_SET, start, nullptr, size, nullptr) >= 0 &&
          H5Dwrite(values_.get(), H5T_NATIVE_DOUBLE, memory.get(), space.get(), H5P_DEFAULT, values.data()) >=
              0);
    y_.push_back(y);
  }
  void finish() override {
    const std::lock_guard guard(hdf5_lock());
    y_.resize(rows_, std::nan(""));
    put("y", y_, y_name_);
    values_ = {};
    check(H5Fflush(file_.get(), H5F_SCOPE_GLOBAL) >= 0);
    file_ = {};
  }

 private:
  void check(bool good) const {
    if (!good) throw Error(Status::output, path_ + ": the map could not be written");
  }
  Hdf5Handle make_set(const char* name, const std::string& title, const std::vector<hsize_t>& shape) {
    const Hdf5Handle space(H5Screate_simple(static_cast<int>(shape.size()), shape.data(), nullptr));
    const Hdf5Handle plain(H5Pcreate(H5P_DATASET_CREATE));
    H5Pset_obj_track_times(plain.get(), false);
    const double missing = std::nan("");
    H5Pset_fill_value(plain.get(), H5T_NATIVE_DOUBLE, &missing);
    Hdf5Handle set(
        H5Dcreate2(file_.get(), name, H5T_IEEE_F64LE, space.get(), H5P_DEFAULT, plain.get(), H5P_DEFAULT));
    check(static_cast<bool>(set));
    set_hdf5_text(set.get(), "name", title);
    return set;
  }
  void put(const char* name, const std::vector<double>& values, const std::string& title) {
    const Hdf5Handle set = make_set(name, title, {values.size()});
    check(H5Dwrite(set.get(), H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, values.data()) >= 0);
  }

  std::string path_;
  hsize_t columns_, rows_;
  std::string y_name_;
  std::vector<double> y_;
  Hdf5Handle file_, values_;
};

}  // namespace

std::unique_ptr<MapWriter> write_hdf5_map(const std::string& path, const MapAxes& axes, std::size_t rows) {
  return std::make_unique<Hdf5Map>(path, axes, rows);
}

}  // namespace vprism
