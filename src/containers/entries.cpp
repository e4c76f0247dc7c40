// entries.cpp: the one name that the module shows.
#include "containers/entries.h"

extern "C" __attribute__((visibility("default"))) const vprism::Containers vprism_containers;
const vprism::Containers vprism_containers = {VPRISM_VERSION,
                                              vprism::adopt_unit_library,
                                              vprism::open_hdf5_file,
                                              vprism::open_npz_file,
                                              vprism::write_hdf5_file,
                                              vprism::write_hdf5_map,
                                              vprism::open_hdf5_points_file,
                                              vprism::write_hdf5_arrays,
                                              vprism::read_hdf5_arrays,
                                              vprism::place_hdf5_array};
