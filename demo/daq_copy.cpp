// daq_copy.cpp: mount-daq.h5, the same recording through the reader and writer that users have.
#include "formats/format.h"
#include "formats/writer.h"
#include "tern_point.h"

namespace vprism::demo {

void write_daq_copy(const std::string& wav, const std::string& hdf5) {
  const auto source = open_recording(wav, {});
  WriteSettings settings;
  settings.numbers = "f32";  // As the WAV file holds them.
  const auto writer = write_hdf5({hdf5}, source->recording(), settings);
  Block block = source->make_block();
  while (source->read(block) > 0) writer->add(block);
  writer->finish();
}

}  // namespace vprism::demo
