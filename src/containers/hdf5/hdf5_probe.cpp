// hdf5_probe.cpp: see hdf5_probe.h. The child calls nothing but the library and malloc, and takes no lock: it
// would wait for ever for one that another process's thread holds.
#include "containers/hdf5/hdf5_probe.h"

#include <fcntl.h>
#include <hdf5.h>
#include <poll.h>
#include <signal.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <vector>

#include "base/error.h"
#include "containers/hdf5/hdf5_file.h"

// A sanitizer's own memory is far more than any limit.
#if defined(__has_feature)
#if __has_feature(address_sanitizer)
#define VPRISM_ADDRESS_SANITIZED 1
#endif
#endif
#ifndef VPRISM_ADDRESS_SANITIZED
#define VPRISM_ADDRESS_SANITIZED 0
#endif

namespace vprism {

namespace {

constexpr hsize_t most_values = 1 << 16;
constexpr std::size_t most_chunk = std::size_t{64} << 20;
/// Memory that the library may take on top of what the program has.
constexpr rlim_t most_memory = rlim_t{512} << 20;
/// For one object or piece of data: a small file has no large ones.
int patience_for(std::uint64_t bytes) {
  constexpr std::uint64_t least_ms = 4'000, most_ms = 10'000;
  return static_cast<int>(std::min(most_ms, least_ms + bytes / 10'000));
}

rlim_t memory_in_use() {
  long pages = 0;
  if (std::FILE* file = std::fopen("/proc/self/statm", "r")) {
    if (std::fscanf(file, "%ld", &pages) != 1) pages = 0;
    std::fclose(file);
  }
  return static_cast<rlim_t>(pages) * static_cast<rlim_t>(::sysconf(_SC_PAGESIZE));
}

struct Probed {
  hid_t file;
  std::uint64_t bytes;
  bool whole;
  const std::string& path;
  const std::vector<std::string>& allowed;
};

/// Where the child reports to its parent that it gets on.
int progress_pipe = -1;
void got_on() {
  const char byte = 1;
  (void)!::write(progress_pipe, &byte, 1);
}

herr_t probe_attribute(hid_t object, const char* name, const H5A_info_t*, void*) {
  const hid_t attribute = H5Aopen(object, name, H5P_DEFAULT);
  if (attribute < 0) return 0;
  const hid_t type = H5Aget_type(attribute), space = H5Aget_space(attribute);
  const hssize_t count = H5Sget_simple_extent_npoints(space);
  const std::size_t size = H5Tget_size(type);
  if (count > 0 && count <= 4096 && size > 0 && size <= 65536) {
    std::vector<char> values(static_cast<std::size_t>(count) * size);
    if (H5Aread(attribute, type, values.data()) >= 0 && H5Tis_variable_str(type) > 0)
      H5Dvlen_reclaim(type, space, H5P_DEFAULT, values.data());
  }
  H5Sclose(space);
  H5Tclose(type);
  H5Aclose(attribute);
  return 0;
}

/// Places [first, first + count) of the first dimension.
void probe_rows(hid_t set, hid_t type, std::vector<hsize_t> extent, hsize_t first, hsize_t count) {
  const hid_t space = H5Dget_space(set);
  std::vector<hsize_t> start(extent.size());
  start[0] = first, extent[0] = count;
  hsize_t values_in_all = 1;
  for (const hsize_t n : extent) values_in_all *= n;
  const hid_t memory = H5Screate_simple(static_cast<int>(extent.size()), extent.data(), nullptr);
  std::vector<char> values(static_cast<std::size_t>(values_in_all) * H5Tget_size(type));
  if (H5Sselect_hyperslab(space, H5S_SELECT_SET, start.data(), nullptr, extent.data(), nullptr) >= 0)
    (void)H5Dread(set, type, memory, space, H5P_DEFAULT, values.data());
  H5Sclose(memory);
  H5Sclose(space);
  got_on();
}

/// Texts may be the clock: all of a small file's, else the first and the last.
void probe_texts(hid_t set, hid_t space, bool whole) {
  constexpr hsize_t at_once = 4096;
  hsize_t rows = 0;
  if (H5Sget_simple_extent_dims(space, &rows, nullptr) != 1) return;
  for (hsize_t at = 0; at < (whole ? rows : std::min(rows, at_once)); at += at_once) {
    if (hdf5_set_texts(set, at, static_cast<std::size_t>(std::min(at_once, rows - at))).empty()) return;
    got_on();
  }
  if (!whole && rows > at_once) hdf5_set_texts(set, rows - at_once, at_once);
}

herr_t probe_object(hid_t root, const char* name, const H5O_info_t* info, void* data) {
  const auto& walk = *static_cast<Probed*>(data);
  got_on();
  hid_t object = H5Oopen(root, name, H5P_DEFAULT);
  if (object < 0) return 0;
  hsize_t index = 0;
  H5Aiterate2(object, H5_INDEX_NAME, H5_ITER_NATIVE, &index, probe_attribute, nullptr);
  if (info->type == H5O_TYPE_DATASET && hdf5_outside(object, walk.path, walk.allowed).empty()) {
    // Each chunk is unpacked once.
    const std::size_t chunk = hdf5_chunk_bytes(object);
    if (chunk > (1 << 20) && chunk <= most_chunk) {
      const hid_t access = H5Pcreate(H5P_DATASET_ACCESS);
      H5Pset_chunk_cache(access, 521, chunk + (1 << 20), 1);
      const hid_t again = H5Dopen2(root, name, access);
      H5Pclose(access);
      if (again >= 0) {
        H5Oclose(object);
        object = again;
      }
    }
    const hid_t stored = H5Dget_type(object), space = H5Dget_space(object);
    const int rank = H5Sget_simple_extent_ndims(space);
    const H5T_class_t kind = H5Tget_class(stored);
    if (kind == H5T_STRING && rank == 1) probe_texts(object, space, walk.whole);
    std::vector<hsize_t> extent(static_cast<std::size_t>(std::max(rank, 0)));
    hsize_t across = 1;  // Values in one place of the first dimension.
    if (rank > 0 && H5Sget_simple_extent_dims(space, extent.data(), nullptr) == rank)
      for (std::size_t d = 1; d < extent.size(); ++d)
        across = across == 0 || extent[d] > most_values / across ? 0 : across * extent[d];
    if ((is_hdf5_number(stored) || kind == H5T_COMPOUND) && rank > 0 && across > 0 &&
        hdf5_plausible(object, walk.bytes)) {
      // As the reader will: numbers as doubles, pairs as they are.
      const hid_t type = kind == H5T_COMPOUND ? H5Tcopy(stored) : H5Tcopy(H5T_NATIVE_DOUBLE);
      const hsize_t at_once = std::max<hsize_t>(1, most_values / across);
      const hsize_t budget = walk.whole ? hsize_t{64} << 20 : at_once;
      for (hsize_t at = 0; at < std::min(extent[0], budget); at += at_once)
        probe_rows(object, type, extent, at, std::min(at_once, extent[0] - at));
      if (extent[0] > at_once) probe_rows(object, type, extent, extent[0] - at_once, at_once);
      H5Tclose(type);
    }
    H5Sclose(space);
    H5Tclose(stored);
  }
  H5Oclose(object);
  return 0;
}

[[noreturn]] void probe_and_exit(const std::string& path, std::uint64_t bytes,
                                 const std::vector<std::string>& allowed) {
  const bool whole = bytes <= (std::uint64_t{64} << 20);
  const rlim_t memory = memory_in_use() + most_memory;
  const rlimit room{memory, memory}, core{0, 0};
  ::setrlimit(RLIMIT_CORE, &core);
#if !defined(__SANITIZE_ADDRESS__) && !VPRISM_ADDRESS_SANITIZED
  ::setrlimit(RLIMIT_AS, &room);
#else
  (void)room;
#endif
  ::close(1);
  ::close(2);
  H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);
  const hid_t file = H5Fopen(path.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT);
  if (file >= 0) {
    Probed walk{file, bytes, whole, path, allowed};
    H5Ovisit(file, H5_INDEX_NAME, H5_ITER_INC, probe_object, &walk);
    H5Fclose(file);
  }
  ::_exit(0);
}

/// Whether the child goes on telling that it gets on, until it ends.
bool gets_on(int from_child, int patience_ms) {
  char bytes[4096];
  for (;;) {
    pollfd waiting{from_child, POLLIN, 0};
    const int ready = ::poll(&waiting, 1, patience_ms);
    if (ready < 0 && errno == EINTR) continue;
    if (ready <= 0) return false;
    const ssize_t count = ::read(from_child, bytes, sizeof bytes);
    if (count == 0) return true;
    if (count < 0 && errno != EINTR) return true;
  }
}

}  // namespace

void probe_hdf5(const std::string& path, std::uint64_t size,
                const std::vector<std::string>& allowed_outside) {
  int ends[2];
  if (::pipe2(ends, O_CLOEXEC) != 0) return;
  const pid_t parent = ::getpid(), child = ::fork();
  if (child == 0) {
    // It may run for ever: not without the one that waits for it.
    ::prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (::getppid() != parent) ::_exit(1);
    ::close(ends[0]);
    progress_pipe = ends[1];
    probe_and_exit(path, size, allowed_outside);
  }
  ::close(ends[1]);
  const bool got_on = child < 0 || gets_on(ends[0], patience_for(size));
  ::close(ends[0]);
  if (child < 0) return;  // No process to be had: the reader goes on without.
  if (!got_on) ::kill(child, SIGKILL);
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) continue;
  if (!WIFEXITED(status) || WEXITSTATUS(status) != 0)
    throw Error(Status::input, path + ": damaged HDF5 file: the library " +
                                   (got_on ? "breaks down on it" : "does not get on with it") +
                                   "; copy it again");
}

}  // namespace vprism
