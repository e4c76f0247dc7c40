// miniSEED 3: records made here by the published layout, read back.
#include "formats/instruments/miniseed3.h"

#include <gmock/gmock.h>

#include <cstring>

#include "formats/reading.h"

namespace vprism::miniseed3_test {
namespace {

template <typename Number>
void put(std::string& bytes, Number value) {
  char raw[sizeof value];
  std::memcpy(raw, &value, sizeof value);
  bytes.append(raw, sizeof value);
}

struct MadeVolume {
  std::string id = "FDSN:XX_TPNT__H_H_Z";
  int year = 2026, day = 61, hour = 4, minute = 5, second = 6, encoding = 3;
  unsigned nanosecond = 250000000;
  double rate = 100;
  std::uint32_t samples = 0;
  std::string payload;
};

std::string record(const MadeVolume& made) {
  std::string out = "MS\x03";
  out += '\0';
  put(out, made.nanosecond);
  put(out, static_cast<std::uint16_t>(made.year)), put(out, static_cast<std::uint16_t>(made.day));
  for (const int v : {made.hour, made.minute, made.second, made.encoding}) out += static_cast<char>(v);
  put(out, made.rate), put(out, made.samples), put(out, std::uint32_t{0});
  out += '\1', out += static_cast<char>(made.id.size());
  const std::string extra = "{\"FDSN\":{}}";
  put(out, static_cast<std::uint16_t>(extra.size())),
      put(out, static_cast<std::uint32_t>(made.payload.size()));
  out += made.id + extra + made.payload;
  const std::uint32_t crc = miniseed3_checksum(out);
  std::memcpy(out.data() + 28, &crc, 4);
  return out;
}

template <typename Number>
MadeVolume plain(int encoding, const std::vector<Number>& values) {
  MadeVolume made;
  made.encoding = encoding, made.samples = static_cast<std::uint32_t>(values.size());
  for (const Number v : values) put(made.payload, v);
  return made;
}

void put_big(std::string& bytes, std::uint32_t word) {
  for (int shift = 24; shift >= 0; shift -= 8) bytes += static_cast<char>(word >> shift & 255u);
}

/// One frame: differences as words and their codes.
std::string frame(std::int32_t first, std::int32_t last,
                  const std::vector<std::pair<unsigned, std::uint32_t>>& words) {
  std::uint32_t codes = 0;
  for (std::size_t w = 0; w < words.size(); ++w) codes |= words[w].first << (30 - 2 * (w + 3));
  std::string out;
  put_big(out, codes), put_big(out, static_cast<std::uint32_t>(first)),
      put_big(out, static_cast<std::uint32_t>(last));
  for (const auto& word : words) put_big(out, word.second);
  out.resize(64, '\0');
  return out;
}

WholeRecording read_bytes(const std::string& bytes) {
  const ScratchFolder folder;
  const auto source = open_recording(folder.write("made.mseed", bytes), {});
  return read_source(*source);
}

TEST(MiniSeed3, ChecksumIsTheOneOfTheBook) { EXPECT_EQ(miniseed3_checksum("123456789"), 0xe3069283u); }

TEST(MiniSeed3, NumbersNamesTimesAndGaps) {
  const MadeVolume first = plain<std::int32_t>(3, {1, -2, 3, 400000});
  MadeVolume second = plain<std::int32_t>(3, {7, 8});
  second.nanosecond = 310000000;  // Two samples are missing between.
  MadeVolume other = plain<double>(5, {0.5, 1.5, 2.5, 3.5, 4.5, 5.5, 6.5, 7.5});
  other.id = "FDSN:XX_TPNT_00_H_H_N";
  const WholeRecording whole = read_bytes(record(first) + record(second) + record(other));
  EXPECT_THAT(whole.names(), ::testing::ElementsAre("XX.TPNT..HHZ", "XX.TPNT.00.HHN"));
  ASSERT_EQ(whole.columns[0].size(), 8u);
  EXPECT_EQ(whole.columns[0][3], 400000);
  EXPECT_TRUE(std::isnan(whole.columns[0][4]));
  EXPECT_EQ(whole.columns[0][7], 8);
  EXPECT_EQ(whole.columns[1][7], 7.5);
  EXPECT_NEAR(whole.recording.axis.rate_hz(), 100, 1e-9);
  // 2 March 2026, 04:05:06.25.
  ASSERT_TRUE(whole.recording.zero_ns);
  EXPECT_EQ(*whole.recording.zero_ns, 1772424306250000000);
}

TEST(MiniSeed3, APeriodIsARateAndOtherNumbersAreRead) {
  MadeVolume slow = plain<std::int16_t>(1, {-32768, 5, 32767});
  slow.rate = -10;
  EXPECT_NEAR(read_bytes(record(slow)).recording.axis.rate_hz(), 0.1, 1e-12);
  const auto floats = read_bytes(record(plain<float>(4, {1.5f, -2.25f})));
  EXPECT_EQ(floats.columns[0][1], -2.25);
}

TEST(MiniSeed3, SteimOneAndTwo) {
  // 10, 13, 11, 11, 300, 295 by differences x, 3, -2, 0 | 289, -5.
  MadeVolume made;
  made.samples = 6, made.encoding = 10;
  made.payload = frame(10, 295, {{1, 0x0003fe00u}, {2, 289u << 16 | 0xfffbu}});
  EXPECT_EQ(read_bytes(record(made)).columns[0], (std::vector<double>{10, 13, 11, 11, 300, 295}));
  // The same by Steim 2: seven of 4 bits would not do; two of 15 for the large ones.
  made.encoding = 11;
  made.payload = frame(10, 295, {{1, 0x0003fe00u}, {2, 2u << 30 | 289u << 15 | 0x7ffbu}});
  EXPECT_EQ(read_bytes(record(made)).columns[0], (std::vector<double>{10, 13, 11, 11, 300, 295}));
  // Five of 6 bits: x, 1, -1, 31, -32.
  made.samples = 5;
  made.payload = frame(0, -1, {{3, 1u << 18 | 63u << 12 | 31u << 6 | 32u}});
  EXPECT_EQ(read_bytes(record(made)).columns[0], (std::vector<double>{0, 1, 0, 31, -1}));
}

TEST(MiniSeed3, DamageIsSaid) {
  const std::string good = record(plain<std::int32_t>(3, {1, 2, 3}));
  std::string flipped = good;
  flipped.back() = static_cast<char>(flipped.back() ^ 1);
  EXPECT_THROW(read_bytes(flipped), Error);                          // The checksum.
  EXPECT_THROW(read_bytes(good.substr(0, good.size() - 2)), Error);  // Cut.
  MadeVolume claims = plain<std::int32_t>(3, {1, 2, 3});
  claims.samples = 4000000000u;
  EXPECT_THROW(read_bytes(record(claims)), Error);
  MadeVolume wrong = plain<std::int32_t>(3, {1});
  wrong.day = 400;
  EXPECT_THROW(read_bytes(record(wrong)), Error);
  MadeVolume steim;
  steim.samples = 4, steim.encoding = 10, steim.payload = frame(10, 12, {{1, 0x0003fe00u}});
  EXPECT_THROW(read_bytes(record(steim)), Error);  // Does not end where it says.
}

}  // namespace
}  // namespace vprism::miniseed3_test
