// Fields of files: the same results whatever way a file holds its points.
#include <gtest/gtest.h>

#include "field/field.h"
#include "formats/points.h"
#include "formats/read_points.h"
#include "formats/scratch_folder.h"

namespace vprism::points_of_files_test {
namespace {

TEST(FieldOfFile, ChoicesOfPointsGiveTheSameWhateverWayTheFileHoldsThem) {
  // Singles in one piece (read past the library), doubles in chunks (through it), and the same in memory.
  const ScratchFolder folder;
  ASSERT_TRUE(run_python(folder, R"(
import h5py, numpy as np
v = np.random.default_rng(7).normal(size=(60, 900, 2)).astype('f4')
for name, kind, more in (('plain.h5', 'f4', {}), ('chunks.h5', 'f8', {'chunks': (16, 100, 2), 'compression': 'gzip'})):
    f = h5py.File(name, 'w')
    d = f.create_dataset('velocity', data=v.astype(kind), **more)
    d.attrs['rate_hz'] = 100.0
    f.create_dataset('xyz', data=np.array([[float(i), 0.0, 0.0] for i in range(900)]))
)"));
  const auto plain = open_points(folder.path("plain.h5"), {}),
             chunks = open_points(folder.path("chunks.h5"), {});
  EXPECT_TRUE(plain->by_frames());
  HeldPoints held(plain->recording(), all_of(*plain));
  for (const std::size_t every : {1u, 2u, 300u})  // Neighbours, with a point between, and far apart.
    for (const std::size_t variable : {2u, 1u}) {
      FieldSettings settings;
      settings.every = every;
      settings.region = parse_region("x 3..890");
      if (variable < 2) settings.variables = {variable};
      settings.leave_out = {17};
      settings.at_hz = {12.5};
      const FieldResult expected = analyse_field(held, settings);
      EXPECT_EQ(expected.sums.points, (888 + every - 1) / every);
      settings.group_bytes = 100 * 60 * 2 * 8;  // Many groups.
      for (const auto& source : {plain.get(), chunks.get()}) {
        const FieldResult found = analyse_field(*source, settings);
        EXPECT_EQ(found.sums.mean_power, expected.sums.mean_power) << every;
        EXPECT_EQ(found.sums.max_point, expected.sums.max_point);
        EXPECT_EQ(found.sums.rms, expected.sums.rms);
        EXPECT_EQ(found.shapes[0].amplitude, expected.shapes[0].amplitude);
        EXPECT_EQ(found.sums.bridged.size(), expected.sums.points);
      }
    }
}

}  // namespace
}  // namespace vprism::points_of_files_test
