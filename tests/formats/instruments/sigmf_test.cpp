// SigMF: complex and real samples, several captures, metadata that lie.
#include <gmock/gmock.h>

#include "formats/reading.h"

namespace vprism::sigmf_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

std::string meta(const std::string& type, const std::string& more = "",
                 const std::string& captures = "{\"core:sample_start\": 0}") {
  return "{\"global\": {\"core:datatype\": \"" + type + "\", \"core:version\": \"1.0.0\"" + more +
         "}, \"captures\": [" + captures + "], \"annotations\": []}";
}

std::string bytes16(std::initializer_list<int> values, bool big = false) {
  std::string out;
  for (const int v : values) {
    const char low = static_cast<char>(v & 0xFF), high = static_cast<char>((v >> 8) & 0xFF);
    out += big ? std::string{high, low} : std::string{low, high};
  }
  return out;
}

TEST(Sigmf, ComplexSamplesWithCarrierAndStart) {
  const ScratchFolder folder;
  folder.write("x.sigmf-data", bytes16({1, -2, 3, -4, 5, -6}));
  const std::string path =
      folder.write("x.sigmf-meta", meta("ci16_le", ", \"core:sample_rate\": 200000",
                                        "{\"core:sample_start\": 0, \"core:frequency\": 8e7, "
                                        "\"core:datetime\": \"2026-11-03T21:14:05.5Z\"}"));
  for (const std::string& name : {path, folder.path("x.sigmf-data")}) {
    const WholeRecording r = read_file(name);
    EXPECT_TRUE(r.recording.complex);
    EXPECT_THAT(r.columns[0], ElementsAre(1, 3, 5));
    EXPECT_THAT(r.columns[1], ElementsAre(-2, -4, -6));
    EXPECT_DOUBLE_EQ(r.recording.axis.rate_hz(), 200000);
    EXPECT_EQ(r.recording.channels[0].carrier_hz, 8e7);
    EXPECT_EQ(r.recording.zero_ns, 1793740445500000000);
  }
}

TEST(Sigmf, RealInterleavedChannelsOfEitherByteOrder) {
  const ScratchFolder folder;
  folder.write("x.sigmf-data", bytes16({1, 10, 2, 20, 3, 30}, true));
  const WholeRecording r =
      read_file(folder.write("x.sigmf-meta", meta("ri16_be", ", \"core:num_channels\": 2")));
  EXPECT_THAT(r.columns[0], ElementsAre(1, 2, 3));
  EXPECT_THAT(r.columns[1], ElementsAre(10, 20, 30));
  EXPECT_EQ(r.recording.axis.interval, 0);
  folder.write("y.sigmf-data", "\x01\xFF\x02");
  EXPECT_THAT(read_file(folder.write("y.sigmf-meta", meta("ru8"))).columns[0], ElementsAre(1, 255, 2));
}

TEST(Sigmf, ACarrierThatChangesIsACaution) {
  const ScratchFolder folder;
  folder.write("x.sigmf-data", bytes16({1, 2, 3, 4}));
  const char* same =
      "{\"core:sample_start\": 0, \"core:frequency\": 1e6}, {\"core:sample_start\": 1, \"core:frequency\": "
      "1e6}";
  const char* other =
      "{\"core:sample_start\": 0, \"core:frequency\": 1e6}, {\"core:sample_start\": 1, \"core:frequency\": "
      "2e6}";
  EXPECT_FALSE(
      read_file(folder.write("x.sigmf-meta", meta("ci16_le", "", same))).warns_of("carrier-changes"));
  EXPECT_TRUE(
      read_file(folder.write("x.sigmf-meta", meta("ci16_le", "", other))).warns_of("carrier-changes"));
}

TEST(Sigmf, DamageIsTold) {
  const ScratchFolder folder;
  folder.write("x.sigmf-data", bytes16({1, 2, 3, 4}));
  const auto error_with = [&](const std::string& text) {
    return error_of(folder.write("x.sigmf-meta", text));
  };
  EXPECT_THAT(error_with(meta("ci17_le")), HasSubstr("core:datatype"));
  EXPECT_THAT(error_with(meta("ci16_le", ", \"core:num_channels\": -1")), HasSubstr("core:num_channels"));
  EXPECT_THAT(error_with(meta("ci16_le", ", \"core:sample_rate\": 0")), HasSubstr("core:sample_rate"));
  EXPECT_THAT(error_with(meta("ci16_le", "", "{\"core:header_bytes\": -5}")), HasSubstr("core:header_bytes"));
  EXPECT_THAT(error_with(meta("ci16_le", "", "7")), HasSubstr("no object"));
  EXPECT_THAT(error_with(meta("ci16_le").substr(0, 70)), HasSubstr("not a JSON object"));
  EXPECT_THAT(error_with(meta("ci16_le", ", \"core:num_channels\": 4000")), HasSubstr("not one sample"));
  folder.write("x.sigmf-data", bytes16({1, 2, 3, 4, 5}));
  EXPECT_TRUE(read_file(folder.write("x.sigmf-meta", meta("ci16_le"))).warns_of("partial-frame"));
  EXPECT_THAT(error_of(folder.write("alone.sigmf-meta", meta("ci16_le"))), HasSubstr("not there"));
}

}  // namespace
}  // namespace vprism::sigmf_test
