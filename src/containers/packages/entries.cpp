// entries.cpp: the one name that the module shows, and how its library behaves.
#include "containers/packages/entries.h"

#include <hdf5.h>

namespace {

/// Before the library's first use. What a full disk kept it from writing it would try again, and break down,
/// when the program ends: it is not to do anything then. And no module is loaded because a file asks for a
/// filter.
[[gnu::constructor]] void tame_library() {
  H5dont_atexit();
  H5PLset_loading_state(0);
}

}  // namespace

extern "C" __attribute__((visibility("default"))) const vprism::Containers vprism_containers;
const vprism::Containers vprism_containers = {VPRISM_VERSION,
                                              vprism::adopt_unit_library,
                                              vprism::open_hdf5_file,
                                              vprism::open_npz_file,
                                              vprism::open_netcdf_file,
                                              vprism::write_hdf5_file,
                                              vprism::write_hdf5_map,
                                              vprism::open_hdf5_points_file,
                                              vprism::write_hdf5_arrays,
                                              vprism::read_hdf5_arrays,
                                              vprism::place_hdf5_array,
                                              vprism::write_workbook_sheets_of_file,
                                              vprism::members_of_archive,
                                              vprism::unpack_member_of_archive,
                                              vprism::document_of_yaml};
