// make_demo.cpp: writes the demo recordings and TRUTH.md into a folder: make-demo FOLDER.
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "tern_point.h"

int main(int count, char** arguments) {
  if (count != 2) {
    std::fprintf(stderr, "usage: make-demo FOLDER\n");
    return 2;
  }
  std::filesystem::create_directories(arguments[1]);
  for (const auto& file : vprism::demo::make_files()) {
    std::ofstream out(std::filesystem::path(arguments[1]) / file.name, std::ios::binary);
    out << file.bytes;
    if (!out.flush()) {
      std::fprintf(stderr, "%s: can't be written\n", file.name.c_str());
      return 5;
    }
  }
  const std::filesystem::path folder = arguments[1];
  vprism::demo::write_daq_copy((folder / "mount-daq.wav").string(), (folder / "mount-daq.h5").string());
  vprism::demo::write_dome_tilt((folder / "dome-tilt.h5").string());
  vprism::demo::write_cell_field((folder / "cell-field.h5").string());
  return 0;
}
