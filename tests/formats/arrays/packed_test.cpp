// packed_test.cpp: recordings packed by gzip and in archives.
#include <gmock/gmock.h>
#include <zip.h>
#include <zlib.h>

#include "formats/reading.h"

namespace vprism::packed_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

std::string table_of(int rows, const std::string& unit) {
  std::string out = "t (s),u (" + unit + ")\n";
  for (int i = 0; i < rows; ++i) out += std::to_string(0.5 * i) + "," + std::to_string(i * i % 17) + "\n";
  return out;
}

std::string gzipped(const std::string& plain) {
  z_stream stream{};
  deflateInit2(&stream, 9, Z_DEFLATED, 16 + MAX_WBITS, 8, Z_DEFAULT_STRATEGY);
  std::string out(plain.size() + 1000, '\0'), in = plain;
  stream.next_in = reinterpret_cast<Bytef*>(in.data()), stream.avail_in = static_cast<uInt>(in.size());
  stream.next_out = reinterpret_cast<Bytef*>(out.data()), stream.avail_out = static_cast<uInt>(out.size());
  deflate(&stream, Z_FINISH);
  out.resize(stream.total_out);
  deflateEnd(&stream);
  return out;
}

TEST(Packed, TablesAreReadAsIfTheyWerePlain) {
  const ScratchFolder folder;
  const std::string plain = table_of(5000, "mV"), packed = gzipped(plain);
  const WholeRecording expected = read_file(folder.write("plain.csv", plain));
  // Several members one after the other are one file, and zeros behind the last are padding.
  const std::string half = plain.substr(0, 20001), rest = plain.substr(20001);
  for (const std::string& bytes : {packed, gzipped(half) + gzipped(rest), packed + std::string(512, '\0')}) {
    const std::string path = folder.write("a.csv.gz", bytes);
    const WholeRecording r = read_file(path);
    EXPECT_EQ(r.recording.file, path);
    EXPECT_EQ(r.columns, expected.columns);
    EXPECT_EQ(r.recording.axis.rate_hz(), 2);
  }
}

TEST(Packed, FlatNumbersToo) {
  const ScratchFolder folder;
  ReadSettings settings;
  settings.binary = "u8:1ch", settings.rate_hz = 10;
  const WholeRecording r = read_file(folder.write("a.raw.gz", gzipped("\x01\x02\x05")), settings);
  ASSERT_EQ(r.columns.size(), 1u);
  EXPECT_THAT(r.columns[0], ElementsAre(1, 2, 5));
}

TEST(Packed, DamageIsAnError) {
  const ScratchFolder folder;
  std::string packed = gzipped(table_of(5000, "V"));
  EXPECT_THAT(error_of(folder.write("cut.csv.gz", packed.substr(0, packed.size() - 30))),
              HasSubstr("cut.csv.gz: damaged: the file ends before"));
  for (std::size_t i = 100; i < 140; ++i) packed[i] = static_cast<char>(packed[i] ^ 0x5A);
  EXPECT_THAT(error_of(folder.write("bent.csv.gz", packed)), HasSubstr("damaged"));
}

std::string archive_of(const ScratchFolder& folder, const std::string& name,
                       const std::vector<std::pair<std::string, std::string>>& members) {
  const std::string path = folder.path(name);
  int code = 0;
  zip_t* archive = zip_open(path.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &code);
  for (const auto& [member, text] : members)
    zip_file_add(archive, member.c_str(), zip_source_buffer(archive, text.data(), text.size(), 0),
                 ZIP_FL_OVERWRITE);
  zip_close(archive);
  return path;
}

TEST(Packed, FilesOfAnArchiveAreItsParts) {
  const ScratchFolder folder;
  const std::string path = archive_of(folder, "runs.zip",
                                      {{"day/one.csv", table_of(40, "V")},
                                       {"day/two.csv", table_of(400, "A")},
                                       {"__MACOSX/day/._one.csv", "?"},
                                       {"day/.hidden", "?"}});
  const WholeRecording largest = read_file(path);
  ASSERT_EQ(largest.recording.parts.size(), 2u);
  EXPECT_EQ(largest.recording.part, 1u);
  EXPECT_EQ(largest.recording.channels[0].unit.text(), "A");
  ReadSettings settings;
  settings.part = "day/one.csv";
  EXPECT_EQ(read_file(path, settings).recording.samples, 40);
  settings.part = "three";
  EXPECT_THAT(error_of(path, settings), HasSubstr("runs.zip"));
}

TEST(Packed, ADescriptionComesWithItsData) {
  const ScratchFolder folder;
  const std::string meta =
      R"({"global": {"core:datatype": "ru8", "core:sample_rate": 50, "core:version": "1.0.0"},
                               "captures": [{"core:sample_start": 0}], "annotations": []})";
  const WholeRecording r = read_file(
      archive_of(folder, "cap.zip", {{"x/c.sigmf-data", std::string(300, 'a')}, {"x/c.sigmf-meta", meta}}));
  EXPECT_EQ(r.recording.samples, 300);
  EXPECT_EQ(r.recording.axis.rate_hz(), 50);
  EXPECT_TRUE(r.recording.parts.empty());
}

TEST(Packed, NamesOfMembersLeadNowhere) {
  const ScratchFolder folder;
  const WholeRecording r =
      read_file(archive_of(folder, "evil.zip", {{"../../../evil.csv", table_of(40, "V")}}));
  EXPECT_EQ(r.recording.samples, 40);
  EXPECT_FALSE(std::filesystem::exists(folder.path("../evil.csv")));
}

}  // namespace
}  // namespace vprism::packed_test
