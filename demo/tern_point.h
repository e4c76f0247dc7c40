// tern_point.h: makes the recordings of the demo case, and the truth about them, from fixed seeds.
#pragma once

#include <string>
#include <vector>

namespace vprism::demo {

struct DemoFile {
  std::string name;
  std::string bytes;
};

/// The recordings and TRUTH.md; the same bytes on every run. (mount-daq.h5 is made from mount-daq.wav by
/// `vprism convert`, see make_demo.cpp.)
std::vector<DemoFile> make_files();

/// Writes mount-daq.h5 from mount-daq.wav, both paths given.
void write_daq_copy(const std::string& wav, const std::string& hdf5);
/// dome-tilt.h5.
void write_dome_tilt(const std::string& hdf5);
/// cell-field.h5.
void write_cell_field(const std::string& hdf5);

/// Import settings that the recordings need to be in their physical units, as `--calibrate` takes them.
std::vector<std::string> calibrations();

}  // namespace vprism::demo
