// hdf5_file.h: the HDF5 library's handles as objects. The library is not made for threads: every call is made
// under `hdf5_lock`.
#pragma once

#include <hdf5.h>

#include <cstdint>
#include <mutex>
#include <optional>
#include <string>
#include <utility>

namespace vprism {

/// Taken by whoever calls the library; recursive, since helpers call helpers.
std::recursive_mutex& hdf5_lock();

/// Any HDF5 identifier; closed when it goes.
class Hdf5Handle {
 public:
  Hdf5Handle() = default;
  explicit Hdf5Handle(hid_t id) : id_(id) {}
  ~Hdf5Handle() { close(); }
  Hdf5Handle(Hdf5Handle&& other) noexcept : id_(std::exchange(other.id_, -1)) {}
  Hdf5Handle& operator=(Hdf5Handle&& other) noexcept {
    std::swap(id_, other.id_);
    return *this;
  }
  Hdf5Handle(const Hdf5Handle&) = delete;
  Hdf5Handle& operator=(const Hdf5Handle&) = delete;
  hid_t get() const { return id_; }
  explicit operator bool() const { return id_ >= 0; }

 private:
  void close();
  hid_t id_ = -1;
};

/// The attribute as text or as a number, where it is one value of that kind.
std::optional<std::string> hdf5_text(hid_t object, const char* name);
std::optional<double> hdf5_number(hid_t object, const char* name);
void set_hdf5_text(hid_t object, const char* name, const std::string& value);
void set_hdf5_number(hid_t object, const char* name, double value);

/// Whether a data set can be as long as it says in a file of so many bytes: compression shortens at most 1032
/// times, and what was never written takes no room.
bool hdf5_plausible(hid_t set, std::uint64_t file_bytes);

/// Our layout, see docs/formats.md; the value of the root attribute "layout".
inline constexpr const char* hdf5_layout_name = "vprism recording 1";

}  // namespace vprism
