// hdf5_spellings_test.cpp: rates, steps, scales and axes in HDF5 files as other programs name them.
#include <gmock/gmock.h>

#include <cmath>

#include "base/error.h"
#include "formats/reading.h"

namespace vprism::hdf5_spellings_test {
namespace {

using testing::ElementsAre;

class Spellings : public testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new ScratchFolder;
    made_ = run_python(*folder_, R"(
import h5py, numpy as np
t = np.arange(2000) * 1e-3
u = np.sin(2 * np.pi * 50 * t)
def one(name, data, **attributes):
    with h5py.File(name, 'w') as f:
        d = f.create_dataset('CH1', data=data)
        for key, value in attributes.items(): d.attrs[key.replace('__', ' ')] = value
for i, (key, value) in enumerate([('X__Increment', 5e-4), ('delta_t', 5e-4), ('SamplingFrequency', 2000.0), ('fs', 2000),
                                  ('dt_us', 500), ('sample__rate', '2 kHz'), ('wf_increment', 5e-4), ('SAMPLE_RATE_KHZ', 2),
                                  ('Sampling__Interval', '500 us'), ('waveform__dt', 5e-4)]):
    one('rate%d.h5' % i, u, **{key: value})
one('scope.h5', np.round(u * 1000 + 100).astype('i2'), X__Increment=1e-3, x_origin=-0.5, Y__Scale=0.001, y_offset=0.25,
    y_reference=100, Y__Units='Volt')
one('float.h5', u, scale=2.0, dt=1e-3)
one('display.h5', u, vertical__scale=2.0, trigger__delay=4.0)
with h5py.File('scale.h5', 'w') as f:
    d = f.create_dataset('speed', data=u)
    s = f.create_dataset('zeit', data=t * 1e3)
    s.make_scale('zeit'); s.attrs['units'] = 'ms'
    d.dims[0].attach_scale(s); d.attrs['units'] = 'm/s'
with h5py.File('response.h5', 'w') as f:
    fr = np.arange(1, 501) * 2.0
    f['frequency'] = fr; f['H'] = 1 / (1 + 1j * fr / 100.0)
with h5py.File('climate.nc', 'w') as f:
    time = f.create_dataset('time', data=np.arange(500) * 0.5)
    time.make_scale('time'); time.attrs['units'] = 'minutes since 2020-01-01 00:00:00'
    d = f.create_dataset('temp', data=(np.arange(500) % 50 + 200).astype('i2'))
    d.attrs['scale_factor'] = 0.1; d.attrs['add_offset'] = 5.0; d.attrs['_FillValue'] = np.int16(210); d.attrs['units'] = 'K'
    d.dims[0].attach_scale(time)
    e = f.create_dataset('station', data=np.zeros(7)); e.make_scale('This is a netCDF dimension but not a netCDF variable.')
with h5py.File('grid.h5', 'w') as f:
    for name, data in (('frequency', 50 + 0.01 * u), ('voltage', u)):
        d = f.create_dataset(name, data=data); d.attrs['dt'] = 0.02
with h5py.File('map.h5', 'w') as f:
    d = f.create_dataset('level', data=np.zeros((30, 90)))
    for k, name, n in ((0, 'time', 30), (1, 'frequency', 90)):
        s = f.create_dataset(name, data=np.arange(n) * 0.5); s.make_scale(name); d.dims[k].attach_scale(s)
one('late.h5', np.round(u * 1000).astype('i2'), offset=7.0, dt=1e-3)
with h5py.File('wide.h5', 'w') as f:
    d = f.create_dataset('m', data=np.arange(3000.0 * 40).reshape(3000, 40))
    s = f.create_dataset('time', data=np.arange(40) * 1e-3); s.make_scale('time'); d.dims[1].attach_scale(s)
with h5py.File('listed.h5', 'w') as f:
    d = f.create_dataset('data', data=np.stack([u, t], 1))
    d.attrs['channel_names'] = np.array([b'vib', b'ramp']); d.attrs['channel_units'] = np.array([b'm/s^2', b'K']); d.attrs['dt'] = 1e-3
with h5py.File('table.h5', 'w') as f:
    rows = np.zeros(2000, np.dtype([('Time_ms', 'f8'), ('ax', 'f4'), ('ay', 'f4')]))
    rows['Time_ms'] = t * 1e3; rows['ax'] = u
    d = f.create_dataset('acc', data=rows); d.attrs['units'] = ['ms', 'g', 'mm']
one('gain.h5', np.round(u * 1000).astype('i2'), gain=0.002, offset=1.0, dt=1e-3)
one('amplified.h5', np.round(u * 1000).astype('i2'), gain=10.0, dt=1e-3)
with h5py.File('own.h5', 'w') as f:
    g = f.create_group('Waveforms/Channel 1'); g.create_dataset('Channel 1Data', data=np.round(u * 1000).astype('i2'))
    g.attrs.update(XInc=1e-6, XOrg=-1e-4, YInc=2e-3, YOrg=0.5, YUnits='Volt')
with h5py.File('times-above.h5', 'w') as f:
    f['time'] = t; f['signals/force'] = u; f['signals/disp'] = -u; f['signals/force'].attrs['unit'] = 'N'
with h5py.File('capitals.h5', 'w') as f:
    d = f.create_dataset('RawData', data=np.stack([u, -u], 0))
    d.attrs['SampleRate'] = 2000.0; d.attrs['ChannelNames'] = np.array(['ax', 'ay'], dtype='S')
    d.attrs['Units'] = np.array(['g', 'mm'], dtype='S')
with h5py.File('keyed.h5', 'w') as f:
    f['time_us'] = np.round(t * 1e6).astype('i8'); f['u'] = u
with h5py.File('around.h5', 'w') as f:
    m = f.create_group('metadata'); m.attrs['sample_rate_Hz'] = 1000; m.attrs['operator'] = 'none'
    f['signals/a/u'] = u
with h5py.File('above.h5', 'w') as f:
    f.create_group('run').attrs['dt'] = 2e-3
    f['run/raw/left/u'] = u
with h5py.File('bode.h5', 'w') as f:
    f['FRF/f'] = np.arange(500) * 0.5; f['FRF/re'] = u[:500]; f['FRF/im'] = -u[:500]
with h5py.File('blocks.h5', 'w') as f:
    for k in range(3):
        d = f.create_dataset('block_%d' % k, data=u[:500]); d.attrs['t0'] = k * 0.5; d.attrs['fs'] = 1000.0
np.savez('keyed.npz', elapsed_ms=t * 1e3, u=u)
np.save('keyed.npy', np.rec.fromarrays([t * 1e3, u], names='t_ms,force_N'))
)");
  }
  static void TearDownTestSuite() { delete folder_; }
  void SetUp() override { ASSERT_TRUE(made_); }
  static WholeRecording read(const std::string& name) { return read_file(folder_->path(name)); }
  static ScratchFolder* folder_;
  static bool made_;
};
ScratchFolder* Spellings::folder_ = nullptr;
bool Spellings::made_ = false;

TEST_F(Spellings, OfRatesAndIntervalsDoNotMatter) {
  for (int i = 0; i < 10; ++i)
    EXPECT_NEAR(read("rate" + std::to_string(i) + ".h5").recording.axis.rate_hz(), 2000, 1e-6) << i;
}

TEST_F(Spellings, SettingsMayStandInGroupsAroundADataSet) {
  EXPECT_NEAR(read("around.h5").recording.axis.rate_hz(), 1000, 1e-6);
  EXPECT_NEAR(read("above.h5").recording.axis.rate_hz(), 500, 1e-6);
}

TEST_F(Spellings, AnFThatRisesIsTheFrequencyOfPartsBesideIt) {
  const WholeRecording r = read("bode.h5");
  EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency);
  EXPECT_TRUE(r.recording.complex);
  EXPECT_EQ(r.recording.samples, 500);
}

TEST_F(Spellings, DataSetsThatArePartsGoByTheirNames) {
  const WholeRecording r = read("blocks.h5");
  ASSERT_EQ(r.recording.parts.size(), 3u);
  EXPECT_EQ(r.recording.parts[1].name, "/block_1");
}

TEST_F(Spellings, IntegersAreTurnedIntoWhatTheyStandFor) {
  const WholeRecording r = read("scope.h5");
  EXPECT_NEAR(r.recording.axis.start, -0.5, 1e-12);
  EXPECT_EQ(r.recording.channels[0].unit.text(), "Volt");
  EXPECT_TRUE(r.warns_of("scale-applied"));
  for (int n = 0; n < 2000; ++n)
    ASSERT_NEAR(r.columns[0][static_cast<std::size_t>(n)], std::sin(0.1 * M_PI * n) + 0.25, 6e-4);
}

TEST_F(Spellings, AGroupOfOneDataSetSpeaksForIt) {
  const WholeRecording r = read("own.h5");
  EXPECT_EQ(r.recording.channels[0].unit.text(), "Volt");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1e6, 1e-3);
  EXPECT_NEAR(r.recording.axis.start, -1e-4, 1e-15);
  EXPECT_NEAR(r.columns[0][5], std::round(1000 * std::sin(2 * M_PI * 0.25)) * 2e-3 + 0.5, 1e-12);
  EXPECT_TRUE(r.warns_of("scale-applied"));
}

TEST_F(Spellings, TimesInAFolderAboveServeWhatIsBelow) {
  const WholeRecording r = read("times-above.h5");
  EXPECT_THAT(r.names(), ElementsAre("disp", "force"));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "N");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1000, 1e-6);
}

TEST_F(Spellings, ListsOfNamesInCapitalsAreThoseOfColumns) {
  const WholeRecording r = read("capitals.h5");
  EXPECT_THAT(r.names(), ElementsAre("ax", "ay"));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "mm");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2000, 1e-6);
}

TEST_F(Spellings, FloatsAreTakenAsTheyStand) {
  const WholeRecording r = read("float.h5");
  EXPECT_TRUE(r.warns_of("scale-not-applied"));
  EXPECT_NEAR(*std::max_element(r.columns[0].begin(), r.columns[0].end()), 1, 1e-9);
  // What an instrument showed is no scale and no start.
  const WholeRecording shown = read("display.h5");
  EXPECT_FALSE(shown.warns_of("scale-not-applied"));
  EXPECT_EQ(shown.recording.axis.start, 0);
}

TEST_F(Spellings, ADimensionScaleIsTheAxis) {
  const WholeRecording r = read("scale.h5");
  EXPECT_THAT(r.names(), ElementsAre("speed"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1000, 1e-6);
  const WholeRecording wide = read("wide.h5");
  EXPECT_EQ(wide.recording.channels.size(), 3000u);
  EXPECT_EQ(wide.recording.samples, 40);
  EXPECT_EQ(wide.columns[1][2], 42);
}

TEST_F(Spellings, ListsOfUnitsAreThoseOfColumnsAndFields) {
  const WholeRecording columns = read("listed.h5");
  EXPECT_THAT(columns.names(), ElementsAre("vib", "ramp"));
  EXPECT_EQ(columns.recording.channels[0].unit.text(), "m/s^2");
  EXPECT_EQ(columns.recording.channels[1].unit.text(), "K");
  const WholeRecording table = read("table.h5");
  EXPECT_THAT(table.names(), ElementsAre("ax", "ay"));
  EXPECT_EQ(table.recording.channels[0].unit.text(), "g");
  EXPECT_EQ(table.recording.channels[1].unit.text(), "mm");
  EXPECT_NEAR(table.recording.axis.rate_hz(), 1000, 1e-6);
}

TEST_F(Spellings, AGainTurnsCountsBesideAnOffsetAndIsSaidAlone) {
  const WholeRecording turned = read("gain.h5");
  EXPECT_TRUE(turned.warns_of("scale-applied"));
  EXPECT_NEAR(*std::max_element(turned.columns[0].begin(), turned.columns[0].end()), 3, 0.01);
  const WholeRecording alone = read("amplified.h5");
  EXPECT_TRUE(alone.warns_of("scale-not-applied"));
  EXPECT_NEAR(*std::max_element(alone.columns[0].begin(), alone.columns[0].end()), 1000, 1);
}

TEST_F(Spellings, AUnitBehindTheNameOfATimeIsItsUnit) {
  for (const char* name : {"keyed.h5", "keyed.npz", "keyed.npy"}) {
    const WholeRecording r = read(name);
    EXPECT_EQ(r.recording.channels.size(), 1u) << name;
    EXPECT_NEAR(r.recording.axis.rate_hz(), 1000, 1e-6) << name;
  }
}

TEST_F(Spellings, FrequenciesBesideComplexNumbersAreTheirAxis) {
  const WholeRecording r = read("response.h5");
  ASSERT_TRUE(r.recording.complex);
  EXPECT_THAT(r.names(), ElementsAre("H"));
  EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency);
  EXPECT_NEAR(r.recording.axis.interval, 2, 1e-9);
}

TEST_F(Spellings, AMeasuredFrequencyIsAChannel) {
  const WholeRecording r = read("grid.h5");
  EXPECT_THAT(r.names(), ElementsAre("frequency", "voltage"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 50, 1e-9);
  // A map of levels goes along time.
  EXPECT_EQ(read("map.h5").recording.channels.size(), 90u);
}

TEST_F(Spellings, AnOffsetAloneIsNotApplied) {
  const WholeRecording r = read("late.h5");
  EXPECT_TRUE(r.warns_of("scale-not-applied"));
  EXPECT_NEAR(*std::max_element(r.columns[0].begin(), r.columns[0].end()), 1000, 1e-9);
}

TEST_F(Spellings, ClimateConventionsHold) {
  const WholeRecording r = read("climate.nc");
  EXPECT_THAT(r.names(), ElementsAre("temp"));
  EXPECT_NEAR(r.recording.axis.interval, 30, 1e-9);
  EXPECT_EQ(r.recording.zero_ns, std::int64_t{1577836800} * 1000000000);
  EXPECT_NEAR(r.columns[0][0], 25, 1e-9);
  EXPECT_TRUE(std::isnan(r.columns[0][10]));
}

}  // namespace
}  // namespace vprism::hdf5_spellings_test
