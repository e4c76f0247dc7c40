// COMTRADE by the lines of IEEE C37.111: three data types, status channels, factors, missing values, one file
// or two.
#include <gmock/gmock.h>

#include <cmath>
#include <cstring>

#include "formats/reading.h"

namespace vprism::comtrade_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

std::string configuration(const std::string& type, const std::string& rates = "1\n1000,4\n",
                          const std::string& year = "1999") {
  return "tern,recorder 2," + year +
         "\n4,2A,2D\n1,drive ua,A,,kV,0.5,1,0,-32767,32767,110,0.1,S\n2,drive "
         "ia,A,,A,0.1,0,0,-32767,32767,1,1,P\n"
         "1,trip,,,0\n2,brake,,,0\n50\n" +
         rates + "03/11/2026,21:14:05.250000\n03/11/2026,21:14:05.252000\n" + type + "\n1\n";
}

template <typename T>
void put(std::string& bytes, T value) {
  bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
}

std::string binary_frames(bool missing = false) {
  std::string bytes;
  for (int n = 0; n < 4; ++n) {
    put(bytes, static_cast<std::uint32_t>(n + 1));
    put(bytes, static_cast<std::uint32_t>(1000 * n));
    put(bytes, static_cast<std::int16_t>(missing && n == 2 ? -32768 : 2 * n));
    put(bytes, static_cast<std::int16_t>(-10 * n));
    put(bytes, static_cast<std::uint16_t>(n == 3 ? 2 : 1));
  }
  return bytes;
}

const char* const ascii_frames =
    "1,0,0,0,1,0\r\n2,1000,2,-10,1,0\r\n3,2000,4,-20,1,0\r\n4,3000,6,-30,0,1\r\n";

void expect_frames(const WholeRecording& r) {
  EXPECT_THAT(r.names(), ElementsAre("drive ua", "drive ia", "trip", "brake"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "kV");
  EXPECT_THAT(r.columns[0], ElementsAre(1, 2, 3, 4));
  EXPECT_THAT(r.columns[1], ElementsAre(0, -1, -2, -3));
  EXPECT_THAT(r.columns[2], ElementsAre(1, 1, 1, 0));
  EXPECT_THAT(r.columns[3], ElementsAre(0, 0, 0, 1));
}

TEST(Comtrade, BinaryAndTextSayTheSame) {
  const ScratchFolder folder;
  folder.write("a.dat", binary_frames());
  const WholeRecording binary = read_file(folder.write("a.cfg", configuration("BINARY")));
  expect_frames(binary);
  EXPECT_DOUBLE_EQ(binary.recording.axis.rate_hz(), 1000);
  ASSERT_TRUE(binary.recording.zero_ns.has_value());
  EXPECT_EQ(*binary.recording.zero_ns, 1793740445250000000);  // date -u -d '2026-11-03 21:14:05.25' +%s%N
  folder.write("b.DAT", ascii_frames);
  expect_frames(read_file(folder.write("b.CFG", configuration("ASCII"))));
  expect_frames(read_file(folder.path("a.dat")));  // Named by its data.
}

TEST(Comtrade, FloatsAndWideIntegersOf2013) {
  const ScratchFolder folder;
  std::string floats, wide;
  for (int n = 0; n < 4; ++n) {
    for (std::string* bytes : {&floats, &wide}) {
      put(*bytes, static_cast<std::uint32_t>(n + 1));
      put(*bytes, static_cast<std::uint32_t>(1000 * n));
    }
    put(floats, 2.0f * static_cast<float>(n));
    put(floats, -10.0f * static_cast<float>(n));
    put(wide, 2 * n);
    put(wide, -10 * n);
    for (std::string* bytes : {&floats, &wide}) put(*bytes, static_cast<std::uint16_t>(n == 3 ? 2 : 1));
  }
  folder.write("f.dat", floats);
  folder.write("w.dat", wide);
  expect_frames(read_file(folder.write("f.cfg", configuration("FLOAT32", "1\n1000,4\n", "2013"))));
  expect_frames(read_file(folder.write("w.cfg", configuration("BINARY32", "1\n1000,4\n", "2013"))));
}

TEST(Comtrade, OneCombinedFile) {
  const ScratchFolder folder;
  expect_frames(
      read_file(folder.write("x.cff", "--- file type: CFG ---\r\n" + configuration("BINARY") +
                                          "--- file type: DAT BINARY: 72 ---\r\n" + binary_frames())));
}

TEST(Comtrade, TimesStandInTheDataWhereThereIsNoRate) {
  const ScratchFolder folder;
  folder.write("x.dat", "1,0,0,0,1,0\n2,1000,2,-10,1,0\n3,2500,4,-20,1,0\n4,9000,6,-30,0,1\n");
  const WholeRecording r = read_file(folder.write("x.cfg", configuration("ASCII", "0\n0,4\n")));
  EXPECT_TRUE(r.recording.axis.stamped);
  EXPECT_DOUBLE_EQ(r.stamps[2], 2.5e-3);
  const WholeRecording two = read_file(folder.write("x.cfg", configuration("ASCII", "2\n1000,2\n500,4\n")));
  EXPECT_TRUE(two.recording.axis.stamped);
}

TEST(Comtrade, MissingValuesAreGapsAndPrimaryValuesOnRequest) {
  const ScratchFolder folder;
  folder.write("x.dat", binary_frames(true));
  const std::string path = folder.write("x.cfg", configuration("BINARY"));
  EXPECT_TRUE(std::isnan(read_file(path).columns[0][2]));
  ReadSettings settings;
  settings.primary = true;
  const WholeRecording r = read_file(path, settings);
  EXPECT_DOUBLE_EQ(r.columns[0][1], 2 * 1100);  // 110 kV to 0.1 kV
  EXPECT_DOUBLE_EQ(r.columns[1][1], -1);        // Stored as primary already.
}

TEST(Comtrade, DamageIsTold) {
  const ScratchFolder folder;
  folder.write("x.dat", binary_frames());
  const auto error_with = [&](const std::string& text) { return error_of(folder.write("x.cfg", text)); };
  EXPECT_THAT(error_with(configuration("BINARY", "1\n1000,9\n")),
              HasSubstr("promises 9 samples, 4 are there"));
  EXPECT_THAT(error_with(configuration("BINARY16")), HasSubstr("data type"));
  EXPECT_THAT(error_with(configuration("BINARY", "1\nfast,4\n")), HasSubstr("x.cfg:9"));
  EXPECT_THAT(error_with(configuration("BINARY").substr(0, 200)), HasSubstr("damaged configuration"));
  folder.write("y.dat", "1,0,0,0,1,0\n2,1000,oops,-10,1,0\n3,2000,4,-20,1,0\n4,3000,6,-30,0,1\n");
  EXPECT_THAT(error_of(folder.write("y.cfg", configuration("ASCII"))), HasSubstr("\"oops\""));
  EXPECT_THAT(error_of(folder.write("alone.cfg", configuration("ASCII"))), HasSubstr("not beside it"));
}

}  // namespace
}  // namespace vprism::comtrade_test
