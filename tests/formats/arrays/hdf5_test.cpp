// HDF5: files written by h5py, foreign layouts, damage.
#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"

namespace vprism::hdf5_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

class Hdf5Files : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new ScratchFolder;
    made_ = run_python(*folder_, R"(
import numpy as np, h5py
t = np.arange(500) / 250.0
x = np.sin(2 * np.pi * 5 * t)
with h5py.File('group.h5', 'w') as f:
    g = f.create_group('run 3')
    d = g.create_dataset('acc', data=x); d.attrs['units'] = 'm/s^2'; d.attrs['long_name'] = 'fork top'
    g.create_dataset('force', data=(10 * x).astype('>f4'), chunks=(64,), compression='gzip').attrs['unit'] = 'N'
    g.attrs['sample_rate'] = 250.0; g.attrs['t0'] = -0.5
    f['note'] = 'hello'
with h5py.File('table.h5', 'w') as f:
    d = f.create_dataset('tab', data=np.stack([x, 2 * x], 0).astype('i2') * 0 + np.arange(500, dtype='i2'))
    d.attrs['channels'] = ['A (V)', 'B (mV)']; d.attrs['dt'] = 0.004; d.attrs['rate'] = 200.0
    f.create_dataset('deep/er', data=x[:40])
with h5py.File('stamped.h5', 'w') as f:
    f['time'] = t ** 1.1; f['v'] = x
with h5py.File('complex.h5', 'w') as f:
    f.create_dataset('z', data=x + 2j * x).attrs['fs'] = 250
with h5py.File('nan.h5', 'w') as f:
    y = x.copy(); y[7] = np.nan
    f['y'] = y
with h5py.File('claims.h5', 'w') as f:
    f.create_dataset('x', shape=(10**12,), dtype='f8', chunks=(1000,))
with h5py.File('none.h5', 'w') as f:
    f['text'] = 'only text'; f['words'] = np.array([b'only', b'texts', b'here'])
)");
  }
  static void TearDownTestSuite() { delete folder_; }
  void SetUp() override { ASSERT_TRUE(made_) << "python3-h5py is needed"; }
  static std::string path(const std::string& name) { return folder_->path(name); }
  static ScratchFolder* folder_;
  static bool made_;
};
ScratchFolder* Hdf5Files::folder_ = nullptr;
bool Hdf5Files::made_ = false;

TEST_F(Hdf5Files, DataSetsOfAGroupAreItsChannels) {
  const WholeRecording r = read_file(path("group.h5"));
  EXPECT_THAT(r.names(), ElementsAre("fork top", "force"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "m/s^2");
  EXPECT_EQ(r.recording.channels[1].unit.text(), "N");
  EXPECT_DOUBLE_EQ(r.recording.axis.rate_hz(), 250);
  EXPECT_EQ(r.recording.axis.start, -0.5);
  ASSERT_EQ(r.columns[0].size(), 500u);
  for (std::size_t n = 0; n < 500; ++n) {
    const double x = std::sin(2 * M_PI * 5 * static_cast<double>(n) / 250);
    EXPECT_NEAR(r.columns[0][n], x, 1e-14);
    EXPECT_NEAR(r.columns[1][n], 10 * x, 1e-6);
  }
}

TEST_F(Hdf5Files, ATableIsAPartAndDisagreeingRatesAreACaution) {
  const WholeRecording r = read_file(path("table.h5"));
  EXPECT_EQ(r.recording.parts.size(), 2u);
  EXPECT_THAT(r.names(), ElementsAre("A", "B"));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "mV");
  EXPECT_EQ(r.columns[1][499], 499);
  EXPECT_TRUE(r.warns_of("rate-disagrees"));
  ReadSettings settings;
  settings.part = "/deep/er";
  EXPECT_EQ(read_file(path("table.h5"), settings).recording.samples, 40);
}

TEST_F(Hdf5Files, ATimeDataSetIsTheAxis) {
  const WholeRecording r = read_file(path("stamped.h5"));
  EXPECT_THAT(r.names(), ElementsAre("v"));
  EXPECT_TRUE(r.recording.axis.stamped);
  EXPECT_NEAR(r.stamps[499], std::pow(499 / 250.0, 1.1), 1e-12);
  ReadSettings settings;
  settings.axis = "none";
  settings.rate_hz = 250;
  EXPECT_EQ(read_file(path("stamped.h5"), settings).columns.size(), 2u);
}

TEST_F(Hdf5Files, ComplexPairsAndGaps) {
  const WholeRecording z = read_file(path("complex.h5"));
  EXPECT_TRUE(z.recording.complex);
  EXPECT_DOUBLE_EQ(z.columns[1][5], 2 * z.columns[0][5]);
  EXPECT_DOUBLE_EQ(z.recording.axis.rate_hz(), 250);
  EXPECT_TRUE(std::isnan(read_file(path("nan.h5")).columns[0][7]));
}

TEST_F(Hdf5Files, FilesWithoutSignalsAndDamagedOnesAreTold) {
  EXPECT_THAT(error_of(path("none.h5")),
              HasSubstr("no data set whose numbers are channels; \"/words\" holds no numbers"));
  const std::string good = ScratchFolder::read(path("group.h5"));
  for (const std::size_t at : {std::size_t{9}, good.size() / 3, good.size() - 10}) {
    const std::string text = error_of(folder_->write("cut.h5", good.substr(0, at)));
    EXPECT_THAT(text, HasSubstr("cut.h5")) << at;
  }
}

TEST_F(Hdf5Files, AClaimOfMoreThanIsStoredIsNotRead) {
  EXPECT_THAT(error_of(path("claims.h5")), HasSubstr("claims 1000000000000 x 1 values"));
}

}  // namespace
}  // namespace vprism::hdf5_test
