// hdf5_file.h: the HDF5 library's handles as objects. The library is not made for threads: every call is made
// under `hdf5_lock`.
#pragma once

#include <hdf5.h>

#include <cstdint>
#include <mutex>
#include <optional>
#include <string>
#include <utility>
#include <vector>

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
/// Texts of a data set of one dimension, `count` of them from `at` on; none where they can't be read. Takes
/// no lock.
std::vector<std::string> hdf5_set_texts(hid_t set, std::uint64_t at, std::size_t count);
/// Whether a type holds numbers, or truth values (an enumeration of two). Takes no lock.
bool is_hdf5_number(hid_t type);
std::optional<double> hdf5_number(hid_t object, const char* name);
void set_hdf5_text(hid_t object, const char* name, const std::string& value);
void set_hdf5_number(hid_t object, const char* name, double value);

/// Whether a data set can be as long as it says in a file of so many bytes: compression shortens at most 1032
/// times, and what was never written takes no room.
bool hdf5_plausible(hid_t set, std::uint64_t file_bytes);

/// The file opened for reading once the library is known to survive it (hdf5_probe.h). Throws Error(input).
Hdf5Handle open_hdf5_file_safely(const std::string& path, std::uint64_t size,
                                 const std::vector<std::string>& allowed_outside);

/// A data set, with room in memory for one of its chunks, so that none is unpacked twice. Null handle where
/// it can't be opened. Throws Error(input) where its numbers lie in another file that is not allowed.
Hdf5Handle open_hdf5_set(hid_t file, const std::string& path, const std::string& file_path,
                         const std::vector<std::string>& allowed_outside);

/// Bytes of one of its chunks, unpacked; 0 where it has none. Takes no lock.
std::size_t hdf5_chunk_bytes(hid_t set);

/// The first other file that a data set's numbers lie in (external storage, virtual sets) and that is not
/// among those allowed, by the name given in the file or by where that leads; "" where there is none. Takes
/// no lock.
std::string hdf5_outside(hid_t set, const std::string& file_path,
                         const std::vector<std::string>& allowed_outside);
/// Whether a name in the file means one of those allowed.
bool hdf5_name_allowed(const std::string& name, const std::string& file_path,
                       const std::vector<std::string>& allowed_outside);

/// Our layout, see docs/formats.md; the value of the root attribute "layout".
inline constexpr const char* hdf5_layout_name = "vprism recording 1";

}  // namespace vprism
