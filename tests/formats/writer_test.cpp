// Writers: what is written and read again is the same, to the last bit where the format can hold it.
#include "formats/writer.h"

#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"

namespace vprism::writer_test {
namespace {

using ::testing::HasSubstr;

struct MadeRecording {
  Recording recording;
  std::vector<std::vector<double>> columns;
  std::vector<double> stamps;
};

/// Values that need all 53 bits; a rate that is no power of two.
MadeRecording make(std::size_t channels, bool complex = false, bool stamped = false) {
  MadeRecording m;
  m.recording.file = "made";
  m.recording.samples = 1000;
  m.recording.complex = complex;
  m.recording.axis.start = stamped ? 0 : -0.25;
  m.recording.axis.interval = 1 / 48000.0;
  m.recording.axis.stamped = stamped;
  for (std::size_t c = 0; c < channels; ++c)
    m.recording.channels.push_back({c == 0 ? "force, \"north\"" : "acc " + std::to_string(c),
                                    Unit::parse(c == 0 ? "N" : "m/s^2"),
                                    quantity_of(Unit::parse(c == 0 ? "N" : "m/s^2"))});
  m.columns.resize(channels * (complex ? 2 : 1));
  for (std::size_t c = 0; c < m.columns.size(); ++c)
    for (int n = 0; n < 1000; ++n) m.columns[c].push_back(std::sin(0.1 * n + static_cast<double>(c)) / 3);
  for (int n = 0; n < 1000; ++n) m.stamps.push_back(std::pow(n / 48000.0, 1.3));
  return m;
}

std::vector<std::string> write(const ScratchFolder& folder, const char* to, const MadeRecording& m,
                               const WriteSettings& settings = {}, std::vector<Caution>* cautions = nullptr) {
  const WriteFormat& format = find_write_format(to);
  std::vector<std::string> paths = {folder.path(std::string("made") + format.ending)};
  if (*format.second != '\0') paths.push_back(folder.path(std::string("made") + format.second));
  const auto writer = format.open(paths, m.recording, settings);
  Block block(m.recording.channels.size(), 77, m.recording.axis.stamped, m.recording.complex);
  for (std::size_t at = 0; at < 1000; at += 77) {
    const std::size_t count = std::min<std::size_t>(77, 1000 - at);
    for (std::size_t c = 0; c < m.columns.size(); ++c)
      std::copy_n(m.columns[c].begin() + static_cast<std::ptrdiff_t>(at), count, block.room(c).begin());
    if (block.stamped())
      std::copy_n(m.stamps.begin() + static_cast<std::ptrdiff_t>(at), count, block.stamp_room().begin());
    block.set(static_cast<std::int64_t>(at), count);
    writer->add(block);
  }
  writer->finish();
  if (cautions != nullptr) *cautions = writer->cautions();
  return paths;
}

struct Case {
  const char* to;
  std::size_t channels;
  bool complex, stamped, names, axis;
};

class RoundTrips : public ::testing::TestWithParam<Case> {};

TEST_P(RoundTrips, AreExact) {
  const Case& c = GetParam();
  const ScratchFolder folder;
  const MadeRecording m = make(c.channels, c.complex, c.stamped);
  const auto paths = write(folder, c.to, m);
  ReadSettings settings;
  if (std::string(c.to) == "binary") settings.binary = "f64le:" + std::to_string(m.columns.size()) + "ch";
  const WholeRecording r = read_file(paths[0], settings);
  if (std::string(c.to) != "binary") {
    EXPECT_EQ(r.recording.complex, c.complex);
  }
  // Flat files hold the parts of complex channels side by side; those of CSV are joined again by their
  // titles.
  const bool flat = c.complex && std::string(c.to) == "binary";
  ASSERT_EQ(r.columns.size(), m.columns.size());
  for (std::size_t k = 0; k < m.columns.size(); ++k) {
    const std::size_t from = flat ? k / 2 + (k % 2) * c.channels : k;
    EXPECT_EQ(r.columns[k], m.columns[from]) << k;
  }
  if (c.stamped) {
    EXPECT_EQ(r.stamps, m.stamps);
  }
  if (c.axis && !c.stamped) {
    EXPECT_NEAR(r.recording.axis.rate_hz(), 48000, 1e-7);
    EXPECT_NEAR(r.recording.axis.start,
                std::string(c.to) == "wav" || std::string(c.to) == "sigmf" ? 0 : -0.25, 1e-12);
  }
  if (c.names && !flat)
    for (std::size_t k = 0; k < c.channels; ++k) {
      EXPECT_EQ(r.recording.channels[k].unit.text(), m.recording.channels[k].unit.text());
      if (k > 0) {
        EXPECT_EQ(r.recording.channels[k].name, m.recording.channels[k].name);
      }
    }
}

INSTANTIATE_TEST_SUITE_P(
    All, RoundTrips,
    ::testing::Values(Case{"hdf5", 3, false, false, true, true}, Case{"hdf5", 2, true, false, true, true},
                      Case{"hdf5", 2, false, true, true, true}, Case{"wav", 3, false, false, true, true},
                      Case{"csv", 3, false, false, true, true}, Case{"csv", 2, true, false, true, true},
                      Case{"csv", 2, false, true, true, true}, Case{"npy", 1, false, false, false, false},
                      Case{"npy", 3, false, false, false, false}, Case{"npy", 2, true, false, false, false},
                      Case{"npy", 2, false, true, false, true}, Case{"binary", 3, false, false, false, false},
                      Case{"binary", 2, true, false, false, false},
                      Case{"universal", 3, false, false, true, true},
                      Case{"universal", 2, true, false, true, true},
                      Case{"universal", 2, false, true, true, true},
                      Case{"sigmf", 2, false, false, true, true}, Case{"sigmf", 2, true, false, true, true}),
    [](const auto& one) { return std::string(one.param.to) + std::to_string(one.index); });

TEST(Writers, CsvKeepsNamesWithQuotesAndCommas) {
  const ScratchFolder folder;
  const WholeRecording r = read_file(write(folder, "csv", make(2, false, false))[0]);
  EXPECT_EQ(r.names(), (std::vector<std::string>{"force, \"north\"", "acc 1"}));
}

TEST(Writers, UniversalTextKeepsTwelveDigits) {
  const ScratchFolder folder;
  for (const bool complex : {false, true})
    for (const bool stamped : {false, true}) {
      const MadeRecording m = make(2, complex, stamped);
      const WholeRecording r = read_file(write(folder, "universal-text", m)[0]);
      for (std::size_t c = 0; c < m.columns.size(); ++c)
        for (std::size_t n = 0; n < 1000; ++n)
          EXPECT_NEAR(r.columns[c][n], m.columns[c][n], 1e-12 * std::abs(m.columns[c][n]));
    }
}

TEST(Writers, SinglePrecisionAndIntegersAreRoundedOnce) {
  const ScratchFolder folder;
  const MadeRecording m = make(2);
  const std::pair<const char*, double> kinds[] = {{"f32", std::ldexp(1, -25)},
                                                  {"i16", std::ldexp(1, -16)},
                                                  {"i24", std::ldexp(1, -24)},
                                                  {"i32", std::ldexp(1, -32)}};
  for (const auto& [numbers, half_step] : kinds) {
    WriteSettings settings;
    settings.numbers = numbers;
    const WholeRecording r = read_file(write(folder, "wav", m, settings)[0]);
    for (std::size_t n = 0; n < 1000; ++n)
      EXPECT_NEAR(r.columns[1][n], m.columns[1][n], 1.001 * half_step) << numbers;
  }
  MadeRecording loud = m;
  loud.columns[0][5] = 1.5;
  WriteSettings settings;
  settings.numbers = "i16";
  std::vector<Caution> cautions;
  write(folder, "wav", loud, settings, &cautions);
  ASSERT_EQ(cautions.size(), 1u);
  EXPECT_EQ(cautions[0].code, "clipping");
}

TEST(Writers, SayWhatTheyCanNotHold) {
  const ScratchFolder folder;
  const auto error = [&](const char* to, const MadeRecording& m,
                         const WriteSettings& settings = {}) -> std::string {
    try {
      write(folder, to, m, settings);
      return "";
    } catch (const Error& e) {
      return e.what();
    }
  };
  EXPECT_THAT(error("wav", make(1, true)), HasSubstr("complex"));
  EXPECT_THAT(error("wav", make(1, false, true)), HasSubstr("uneven"));
  EXPECT_THAT(error("sigmf", make(1, false, true)), HasSubstr("uneven"));
  EXPECT_THAT(error("binary", make(1, false, true)), HasSubstr("uneven"));
  MadeRecording odd = make(1);
  odd.recording.axis.interval = 1 / 1234.5;
  EXPECT_THAT(error("wav", odd), HasSubstr("whole rates"));
  MadeRecording gap = make(1);
  gap.columns[0][3] = std::nan("");
  EXPECT_THAT(error("wav", gap), HasSubstr("missing"));
  EXPECT_THAT(error("universal", gap), HasSubstr("missing"));
  EXPECT_EQ(error("hdf5", gap), "");
  EXPECT_TRUE(std::isnan(read_file(folder.path("made.h5")).columns[0][3]));
  WriteSettings settings;
  settings.numbers = "i16";
  EXPECT_THAT(error("npy", make(1), settings), HasSubstr("f64 or f32"));
  EXPECT_THROW(find_write_format("hdf"), Error);
}

TEST(Writers, NumpyAndH5pyReadWhatWasWritten) {
  const ScratchFolder folder;
  write(folder, "npy", make(3));
  write(folder, "hdf5", make(2, true));
  EXPECT_TRUE(run_python(folder, R"(
import numpy as np, h5py
n = np.arange(1000)
x = np.load('made.npy')
assert x.shape == (1000, 3) and x.dtype == np.float64
assert np.allclose(x[:, 2], np.sin(0.1 * n + 2) / 3, atol=1e-15)
with h5py.File('made.h5') as f:
    z = f['channels/0002'][:]
    assert f['channels/0002'].attrs['unit'] == 'm/s^2', f['channels/0002'].attrs['unit']
    assert np.allclose(z, np.sin(0.1 * n + 1) / 3 + 1j * np.sin(0.1 * n + 3) / 3, atol=1e-15)
    assert abs(f.attrs['interval_s'] - 1 / 48000) < 1e-18
)"));
}

}  // namespace
}  // namespace vprism::writer_test
