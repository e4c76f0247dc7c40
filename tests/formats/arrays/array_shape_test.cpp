// Arrays of several dimensions as channels: closed forms of where samples lie, and arrays written by numpy
// and the HDF5 library's own Python interface, in any order of their dimensions.
#include "formats/arrays/array_shape.h"

#include <gmock/gmock.h>

#include "formats/reading.h"

namespace vprism::array_shape_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

TEST(ArrayShape, SamplesLieWhereBothOrdersPutThem) {
  // [2][5][3], the samples along the second: element (i, n, k) is (i * 5 + n) * 3 + k.
  const ArrayShape last{{2, 5, 3}, 1, false};
  EXPECT_EQ(last.samples(), 5u);
  EXPECT_EQ(last.channels(), 6u);
  EXPECT_EQ(last.step(), 3u);
  EXPECT_EQ(last.first(0), 0u);
  EXPECT_EQ(last.first(4), 15u + 1);
  EXPECT_EQ(last.place(4), "2.2");
  // The first quickest: i + 2 * (n + 5 * k).
  const ArrayShape first{{2, 5, 3}, 1, true};
  EXPECT_EQ(first.step(), 2u);
  EXPECT_EQ(first.first(4), 1u + 10);
  EXPECT_EQ(first.place(4), "2.2");
  EXPECT_EQ(last.with_samples(7).first(4), 21u + 1);
  EXPECT_EQ((ArrayShape{{1, 40}, 1, false}).place(0), "");
  EXPECT_EQ((ArrayShape{}).samples(), 1u);
}

TEST(ArrayShape, TheAxisDecidesElseTheLengthsWithACaution) {
  std::vector<Caution> cautions;
  EXPECT_EQ(settle_shape({40, 3}, false, {}, {}, "it", cautions).along, 0u);
  EXPECT_EQ(settle_shape({3, 40, 1}, false, {}, {}, "it", cautions).along, 1u);
  EXPECT_EQ(settle_shape({30, 40, 20}, false, {}, 20, "it", cautions).along, 2u);
  EXPECT_TRUE(cautions.empty());
  // As long as two of them: no evidence.
  EXPECT_EQ(settle_shape({20, 40, 20}, false, {}, 20, "it", cautions).along, 1u);
  ASSERT_EQ(cautions.size(), 1u);
  EXPECT_THAT(cautions[0].text, HasSubstr("20 x 40 x 20"));
  EXPECT_EQ(settle_shape({30, 40}, false, {}, {}, "it", cautions).along, 1u);
  EXPECT_EQ(cautions.size(), 2u);
  ReadSettings settings;
  settings.samples_along = 1;
  EXPECT_EQ(settle_shape({3, 40}, false, settings, 40, "it", cautions).along, 0u);
  EXPECT_EQ(cautions.size(), 2u);
  settings.samples_along = 3;
  EXPECT_THROW((void)settle_shape({3, 40}, false, settings, {}, "it", cautions), Error);
}

class ArraysOfMore : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new ScratchFolder;
    made_ = run_python(*folder_, R"(
import numpy as np, h5py
t = np.arange(200) / 400.0
i, k = np.arange(3), np.arange(2)
x = i[:, None, None] * 100.0 + k[None, None, :] * 10.0 + t[None, :, None]
np.save('cube.npy', x)
np.save('fortran.npy', np.asfortranarray(x))
np.savez('cube.npz', signal=np.moveaxis(x, 1, 2), time=t)
with h5py.File('cube.h5', 'w') as f:
    d = f.create_dataset('signal', data=x); d.attrs['rate'] = 400.0; d.attrs['unit'] = 'V'
with h5py.File('timed.h5', 'w') as f:
    f['shots'] = x[:, :4, :]; f['time'] = t[:4]
with h5py.File('scaled.h5', 'w') as f:
    f['a'] = np.repeat(x, 100, 0)[:, :5]; f['t'] = t[:5]
    f['t'].make_scale('t'); f['a'].dims[1].attach_scale(f['t'])
with h5py.File('complex.h5', 'w') as f:
    f['z'] = x + 2j * x
with h5py.File('four.h5', 'w') as f:
    f['v'] = np.stack([x, -x])
with h5py.File('many.h5', 'w') as f:
    f['wide'] = np.zeros((80, 80, 90)); f['plain'] = t
)");
  }
  static void TearDownTestSuite() { delete folder_; }
  void SetUp() override { ASSERT_TRUE(made_) << "python3-numpy and python3-h5py are needed"; }
  static std::string path(const std::string& name) { return folder_->path(name); }
  /// Channel i.k holds 100 i + 10 k + t, i of three and k of two, in that order.
  static void expect_six(const std::string& name, std::size_t samples) {
    const WholeRecording r = read_file(path(name));
    ASSERT_EQ(r.columns.size(), 6u) << name;
    for (std::size_t c = 0; c < 6; ++c) {
      ASSERT_EQ(r.columns[c].size(), samples) << name;
      for (std::size_t n = 0; n < samples; ++n)
        EXPECT_EQ(r.columns[c][n],
                  static_cast<double>(c / 2 * 100 + c % 2 * 10) + static_cast<double>(n) / 400)
            << name << " " << c;
    }
  }
  static ScratchFolder* folder_;
  static bool made_;
};
ScratchFolder* ArraysOfMore::folder_ = nullptr;
bool ArraysOfMore::made_ = false;

TEST_F(ArraysOfMore, EachPlaceInTheOtherDimensionsIsAChannel) {
  for (const char* name : {"cube.npy", "fortran.npy", "cube.npz", "cube.h5"}) expect_six(name, 200);
  expect_six("timed.h5", 4);
  const WholeRecording r = read_file(path("cube.h5"));
  EXPECT_THAT(r.names(), ElementsAre("signal 1.1", "signal 1.2", "signal 2.1", "signal 2.2", "signal 3.1",
                                     "signal 3.2"));
  EXPECT_EQ(r.recording.channels[5].unit.text(), "V");
  EXPECT_DOUBLE_EQ(r.recording.axis.rate_hz(), 400);
  EXPECT_TRUE(r.warns_of("axis-assumed"));
}

TEST_F(ArraysOfMore, TimesBesideOrOfADimensionAreTheEvidence) {
  for (const char* name : {"cube.npz", "timed.h5", "scaled.h5"}) {
    const WholeRecording r = read_file(path(name));
    EXPECT_FALSE(r.warns_of("axis-assumed")) << name;
    EXPECT_NEAR(r.recording.axis.rate_hz(), 400, 1e-9) << name;
  }
  const WholeRecording scaled = read_file(path("scaled.h5"));
  EXPECT_EQ(scaled.columns.size(), 600u);
  EXPECT_EQ(scaled.columns[599][4], 210 + 0.01);
}

TEST_F(ArraysOfMore, ComplexNumbersAndFourDimensions) {
  const WholeRecording z = read_file(path("complex.h5"));
  ASSERT_EQ(z.columns.size(), 12u);
  EXPECT_EQ(z.columns[3][100], 110.25);
  EXPECT_EQ(z.columns[9][100], 220.5);
  const WholeRecording v = read_file(path("four.h5"));
  ASSERT_EQ(v.columns.size(), 12u);
  EXPECT_EQ(v.columns[9][100], -110.25);
  EXPECT_EQ(v.recording.channels[9].name, "v 2.2.2");
}

TEST_F(ArraysOfMore, AnotherDimensionIsTakenWhereItIsNamed) {
  ReadSettings settings;
  settings.samples_along = 1;
  for (const char* name : {"cube.npy", "cube.h5"}) {
    const WholeRecording r = read_file(path(name), settings);
    ASSERT_EQ(r.columns.size(), 400u) << name;
    EXPECT_THAT(r.columns[399], ElementsAre(10 + 199.0 / 400, 110 + 199.0 / 400, 210 + 199.0 / 400)) << name;
    EXPECT_FALSE(r.warns_of("axis-assumed")) << name;
  }
  settings.samples_along = 4;
  for (const char* name : {"cube.npy", "cube.h5"})
    EXPECT_THAT(error_of(path(name), settings), HasSubstr("3 dimensions (3 x 200 x 2)")) << name;
}

TEST_F(ArraysOfMore, WhatIsNoArrayHasNoDimensions) {
  ReadSettings settings;
  settings.samples_along = 1;
  const std::string text = folder_->write("a.csv", "t (s),u (V)\n0,1\n1,2\n2,1\n");
  EXPECT_THAT(error_of(text, settings), HasSubstr("--samples-along is for arrays"));
}

TEST_F(ArraysOfMore, MoreChannelsThanThereMayBeAreLeftOutAndSaidSo) {
  const WholeRecording r = read_file(path("many.h5"));
  EXPECT_EQ(r.columns.size(), 1u);
  EXPECT_TRUE(r.warns_of("sets-left-out"));
}

}  // namespace
}  // namespace vprism::array_shape_test
