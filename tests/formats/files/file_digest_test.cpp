// file_digest_test.cpp: which bytes a result was made from.
#include "formats/files/file_digest.h"

#include <gtest/gtest.h>

#include "formats/reading.h"

namespace vprism::file_digest_test {
namespace {

TEST(Digest, IsThatOfTheBytes) {
  const ScratchFolder folder;
  // XXH3 (64 bits, seed 0) of no bytes and of "abc", from the reference vectors of the algorithm's
  // publication.
  EXPECT_EQ(file_digest(folder.write("e", "")), "xxh3:2d06800538d394c2");
  EXPECT_EQ(file_digest(folder.write("a", "abc")), "xxh3:78af5f94892f3950");
}

TEST(Digest, OfWhatAReaderPassesOnIsThatOfTheFile) {
  const ScratchFolder folder;
  std::string bytes;
  for (unsigned i = 0; i < 100'000; ++i) bytes += static_cast<char>(i * i % 251);
  const std::string path = folder.write("x", bytes), truth = file_digest(path);
  const std::span<const char> all(bytes);
  FileDigest digest(path);
  digest.passed(500, all.subspan(500, 10));  // Not yet: what is before is missing.
  digest.passed(0, all.first(1000));
  digest.passed(700, all.subspan(700, 5000));
  digest.passed(0, all.first(3000));  // A second look.
  digest.passed(9000, all.subspan(9000));
  EXPECT_EQ(digest.text(), truth);
}

TEST(Digest, ComesFromTheReadersThatGoThroughAFile) {
  const ScratchFolder folder;
  const std::string path = folder.write("x.f32", std::string(400'002, '\1'));
  ReadSettings settings;
  settings.binary = "f32le:skip=8";
  settings.rate_hz = 1000;
  settings.digest = std::make_shared<FileDigest>(path);
  const auto source = open_recording(path, settings);
  EXPECT_TRUE(settings.digest->expected());
  Block block = source->make_block();
  do source->read(block);
  while (block.size() > 0);
  EXPECT_EQ(settings.digest->text(), file_digest(path));
}

}  // namespace
}  // namespace vprism::file_digest_test
