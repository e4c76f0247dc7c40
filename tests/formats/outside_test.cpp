// outside_test.cpp: what a file may not make the program do, and counts in files that disagree.
#include <gmock/gmock.h>

#include "base/error.h"
#include "formats/format.h"
#include "formats/scratch_folder.h"

namespace vprism::outside_test {
namespace {

using testing::HasSubstr;

bool made_by_python(const ScratchFolder& folder, const std::string& script) {
  folder.write("make.py", script);
  return std::system(("cd '" + folder.path() + "' && /usr/bin/python3 make.py").c_str()) == 0;
}

std::string refused_with(const std::string& path, const ReadSettings& settings = {}) {
  try {
    open_recording(path, settings);
  } catch (const Error& error) {
    return error.what();
  }
  return "";
}

std::vector<std::string> codes_read_from(SampleSource& source) {
  Block block = source.make_block();
  while (source.read(block) > 0) continue;
  std::vector<std::string> out;
  for (const Caution& c : source.recording().cautions) out.push_back(c.code);
  return out;
}

TEST(Hdf5, OpensNoOtherFileUnlessItIsAllowed) {
  const ScratchFolder folder;
  folder.write("secret.txt", std::string(800, 'x'));
  ASSERT_TRUE(made_by_python(folder, R"(
import h5py, numpy as n
n.arange(100.).tofile('raw.bin')
with h5py.File('external.h5', 'w') as f:
    f.create_dataset('x', (100,), dtype='f8', external=[('raw.bin', 0, 800)]).attrs['rate_hz'] = 10.
with h5py.File('leak.h5', 'w') as f:
    f.create_dataset('x', (800,), dtype='i1', external=[('secret.txt', 0, 800)]).attrs['rate_hz'] = 10.
    f.create_dataset('y', data=n.arange(800.)).attrs['rate_hz'] = 10.
with h5py.File('other.h5', 'w') as f: f.create_dataset('z', data=n.arange(100.)).attrs['rate_hz'] = 10.
with h5py.File('link.h5', 'w') as f: f['x'] = h5py.ExternalLink('other.h5', '/z')
with h5py.File('virtual.h5', 'w') as f:
    v = h5py.VirtualLayout(shape=(100,), dtype='f8')
    v[:] = h5py.VirtualSource('other.h5', 'z', shape=(100,))
    f.create_virtual_dataset('x', v)
)"));
  for (const char* name : {"external.h5", "link.h5", "virtual.h5"}) {
    EXPECT_THAT(refused_with(folder.path(name)), HasSubstr("--allow-external")) << name;
    ReadSettings allowed;
    allowed.allow_external = {folder.path("raw.bin"), folder.path("other.h5")};
    allowed.rate_hz = 10;
    const auto source = open_recording(folder.path(name), allowed);
    Block block = source->make_block();
    ASSERT_EQ(source->read(block), 100u) << name;
    EXPECT_EQ(block.samples(0)[99], 99) << name;
  }
  // The rest of a file is read, and what is not is said.
  const auto source = open_recording(folder.path("leak.h5"), {});
  EXPECT_EQ(source->recording().channels.size(), 1u);
  EXPECT_THAT(codes_read_from(*source), testing::Contains("outside-refused"));
}

TEST(Hdf5, LargeChunksAreReadOnceAndSetsOfOtherRatesAreOtherParts) {
  const ScratchFolder folder;
  ASSERT_TRUE(made_by_python(folder, R"(
import h5py, numpy as n
with h5py.File('chunks.h5', 'w') as f:
    x = n.arange(2000000) % 4099 * 1.
    f.create_dataset('x', data=x, chunks=(2000000,), compression='gzip').attrs['rate_hz'] = 1e6
with h5py.File('rates.h5', 'w') as f:
    f.create_dataset('fast', data=n.arange(100.)).attrs['rate_hz'] = 1000.
    f.create_dataset('slow', data=n.arange(100.)).attrs['rate_hz'] = 10.
)"));
  const auto source = open_recording(folder.path("chunks.h5"), {});
  Block block = source->make_block();
  std::int64_t count = 0;
  while (const std::size_t some = source->read(block)) {
    EXPECT_EQ(block.samples(0)[0], static_cast<double>(count % 4099));
    count += static_cast<std::int64_t>(some);
  }
  EXPECT_EQ(count, 2000000);
  ReadSettings second;
  second.part = "2";
  EXPECT_NEAR(open_recording(folder.path("rates.h5"), {})->recording().axis.rate_hz(), 1000, 1e-9);
  EXPECT_NEAR(open_recording(folder.path("rates.h5"), second)->recording().axis.rate_hz(), 10, 1e-9);
}

TEST(Counts, ThatDisagreeWithTheFileAreSaid) {
  const ScratchFolder folder;
  ASSERT_TRUE(made_by_python(folder, R"(
import numpy as n, wave
n.save('a.npy', n.arange(1000.))
b = open('a.npy', 'rb').read().replace(b'(1000,)', b'(500,) ')
open('a.npy', 'wb').write(b)
w = wave.open('a.wav', 'wb'); w.setnchannels(1); w.setsampwidth(2); w.setframerate(100)
w.writeframes((n.arange(1000) * 61 % 30000 - 15000).astype('<i2').tobytes()); w.close()
b = bytearray(open('a.wav', 'rb').read()); b[40:44] = (1000).to_bytes(4, 'little'); open('a.wav', 'wb').write(b)
rows = ''.join('%d,%d,%d\n' % (i + 1 + (i >= 50), i * 1000, i % 9) for i in range(120))
open('c.dat', 'w').write(rows)
open('c.cfg', 'w').write('s,d,1999\n1,1A,0D\n1,u,,,V,1,0,0,-9,9,1,1,P\n50\n1\n500,100\n01/01/2020,00:00:00.000000\n'
                         '01/01/2020,00:00:00.000000\nASCII\n1\n')
)"));
  for (const char* name : {"a.npy", "a.wav"}) {
    const auto source = open_recording(folder.path(name), {});
    EXPECT_EQ(source->recording().samples, 500) << name;
    EXPECT_THAT(codes_read_from(*source), testing::Contains("length-disagrees")) << name;
  }
  const auto comtrade = open_recording(folder.path("c.cfg"), {});
  EXPECT_THAT(codes_read_from(*comtrade),
              testing::IsSupersetOf({"numbers-jump", "rate-disagrees", "length-disagrees"}));
}

}  // namespace
}  // namespace vprism::outside_test
