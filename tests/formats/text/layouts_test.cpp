// layouts_test.cpp: a corpus of small text files as instruments, loggers and solvers write them; what is to
// be understood of each stands beside it, and is compared without any option.
//
// NAME.understood has a line for each claim: "rate", "start", "parts", "began" (UTC), "domain frequency",
// "complex", "missing gap" (read with gaps allowed), "caution CODE", and for each channel "channel NAME |
// UNIT | SAMPLES | FIRST VALUE | LAST VALUE".
#include <gmock/gmock.h>

#include <filesystem>
#include <fstream>

#include "base/text.h"
#include "formats/reading.h"
#include "formats/text/clock/clock.h"

namespace vprism::layouts_test {
namespace {

namespace fs = std::filesystem;

struct ChannelClaim {
  std::string name, unit;
  std::size_t samples = 0;
  double first = 0, last = 0;
};

struct Understood {
  std::vector<std::pair<std::string, std::string>> claims;
  std::vector<ChannelClaim> channels;
  bool gaps = false;
};

Understood read_claims(const std::string& path) {
  Understood out;
  std::ifstream in(path);
  for (std::string line; std::getline(in, line);) {
    if (line.empty() || line[0] == '#') continue;
    const std::size_t blank = line.find(' ');
    const std::string word = line.substr(0, blank),
                      rest = blank == std::string::npos ? "" : line.substr(blank + 1);
    if (word == "channel") {
      std::vector<std::string> cells;
      for (const std::string& cell : split(rest, '|')) cells.emplace_back(trimmed(cell));
      out.channels.push_back({cells.at(0), cells.at(1), std::stoul(cells.at(2)), std::stod(cells.at(3)),
                              std::stod(cells.at(4))});
    } else if (word == "missing") {
      out.gaps = true;
    } else {
      out.claims.emplace_back(word, rest);
    }
  }
  return out;
}

std::vector<std::string> corpus() {
  std::vector<std::string> out;
  for (const auto& entry : fs::directory_iterator(VPRISM_SOURCE "/tests/data/layouts"))
    if (entry.path().extension() == ".understood") out.push_back(entry.path().stem().string());
  std::sort(out.begin(), out.end());
  return out;
}

class Layouts : public ::testing::TestWithParam<std::string> {};

void expect_value(double value, double expected, const std::string& what) {
  if (std::isnan(expected))
    EXPECT_TRUE(std::isnan(value)) << what;
  else
    EXPECT_NEAR(value, expected, 1e-8 + 1e-7 * std::abs(expected)) << what;
}

TEST_P(Layouts, AreUnderstoodWithoutOptions) {
  const std::string path = VPRISM_SOURCE "/tests/data/layouts/" + GetParam();
  const Understood u = read_claims(path + ".understood");
  ReadSettings settings;
  if (u.gaps) settings.missing = ReadSettings::Missing::gap;
  const WholeRecording r = read_file(path, settings);
  ASSERT_EQ(r.recording.channels.size(), u.channels.size()) << ::testing::PrintToString(r.names());
  for (std::size_t c = 0; c < u.channels.size(); ++c) {
    const ChannelClaim& claim = u.channels[c];
    EXPECT_EQ(r.recording.channels[c].name, claim.name);
    EXPECT_EQ(r.recording.channels[c].unit.text(), claim.unit) << claim.name;
    ASSERT_EQ(r.columns[c].size(), claim.samples) << claim.name;
    expect_value(r.columns[c].front(), claim.first, claim.name + ", first");
    expect_value(r.columns[c].back(), claim.last, claim.name + ", last");
  }
  for (const auto& [word, rest] : u.claims) {
    const Recording& recording = r.recording;
    if (word == "rate")
      EXPECT_NEAR(recording.axis.rate_hz(), std::stod(rest), 5e-7 * std::stod(rest));
    else if (word == "start")
      EXPECT_NEAR(recording.axis.start, std::stod(rest), 1e-12);
    else if (word == "parts")
      EXPECT_EQ(recording.parts.size(), std::stoul(rest));
    else if (word == "began")
      EXPECT_EQ(recording.zero_ns ? utc_text(*recording.zero_ns).substr(0, rest.size()) : "", rest);
    else if (word == "domain")
      EXPECT_EQ(recording.axis.domain, Axis::Domain::frequency);
    else if (word == "complex")
      EXPECT_TRUE(recording.complex);
    else if (word == "caution")
      EXPECT_TRUE(r.warns_of(rest)) << rest;
    else
      ADD_FAILURE() << "no such claim: " << word;
  }
}

INSTANTIATE_TEST_SUITE_P(Corpus, Layouts, ::testing::ValuesIn(corpus()), [](const auto& file) {
  std::string name = file.param;
  for (char& c : name)
    if (!std::isalnum(static_cast<unsigned char>(c))) c = '_';
  return name;
});

TEST(LayoutsCorpus, IsThere) { EXPECT_GE(corpus().size(), 60u); }

}  // namespace
}  // namespace vprism::layouts_test
