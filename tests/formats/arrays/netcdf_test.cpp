// netcdf_test.cpp: netCDF classic files, written here byte by byte after the published grammar of CDF-1.
#include <gmock/gmock.h>

#include <bit>
#include <cmath>
#include <cstring>

#include "formats/reading.h"

namespace vprism::netcdf_test {
namespace {

using ::testing::ElementsAre;

/// Big-endian numbers and padded names.
class Bytes {
 public:
  void number(std::uint32_t value) {
    for (int shift = 24; shift >= 0; shift -= 8) text_ += static_cast<char>(value >> shift);
  }
  void name(const std::string& text) { number(static_cast<std::uint32_t>(text.size())), padded(text); }
  void padded(const std::string& text) { text_ += text, text_.append((4 - text.size() % 4) % 4, '\0'); }
  void real(double value) {
    const auto bits = std::bit_cast<std::uint64_t>(value);
    number(static_cast<std::uint32_t>(bits >> 32)), number(static_cast<std::uint32_t>(bits));
  }
  void small(std::int16_t value) { (text_ += static_cast<char>(value >> 8)) += static_cast<char>(value); }
  std::string& text() { return text_; }

 private:
  std::string text_;
};

struct Attribute {
  std::string name, text;
  double value = 0;
};

struct Variable {
  std::string name;
  std::vector<std::uint32_t> dimensions;
  std::vector<Attribute> attributes;
  bool shorts = false;  ///< Else doubles.
  std::vector<double> values;
  std::string letters = {};  ///< Characters instead of numbers.
};

void write_attributes(Bytes& out, const std::vector<Attribute>& attributes) {
  out.number(attributes.empty() ? 0 : 12), out.number(static_cast<std::uint32_t>(attributes.size()));
  for (const Attribute& a : attributes) {
    out.name(a.name);
    if (!a.text.empty())
      out.number(2), out.name(a.text);
    else
      out.number(6), out.number(1), out.real(a.value);
  }
}

std::string netcdf(const std::vector<std::pair<std::string, std::uint32_t>>& dimensions,
                   const std::vector<Attribute>& attributes, const std::vector<Variable>& variables) {
  std::vector<std::string> data;
  for (const Variable& v : variables) {
    Bytes bytes;
    bytes.text() = v.letters;
    for (const double x : v.values) v.shorts ? bytes.small(static_cast<std::int16_t>(x)) : bytes.real(x);
    bytes.text().append((4 - bytes.text().size() % 4) % 4, '\0');
    data.push_back(bytes.text());
  }
  // Twice: the places of the data are known once the head's length is.
  std::size_t head = 0;
  for (int pass = 0;; ++pass) {
    Bytes out;
    out.text() = std::string("CDF\1", 4);
    out.number(0);
    out.number(10), out.number(static_cast<std::uint32_t>(dimensions.size()));
    for (const auto& [name, length] : dimensions) out.name(name), out.number(length);
    write_attributes(out, attributes);
    out.number(11), out.number(static_cast<std::uint32_t>(variables.size()));
    std::size_t at = head;
    for (std::size_t k = 0; k < variables.size(); ++k) {
      const Variable& v = variables[k];
      out.name(v.name);
      out.number(static_cast<std::uint32_t>(v.dimensions.size()));
      for (const std::uint32_t d : v.dimensions) out.number(d);
      write_attributes(out, v.attributes);
      out.number(!v.letters.empty() ? 2 : v.shorts ? 3 : 6);
      out.number(static_cast<std::uint32_t>(data[k].size()));
      out.number(static_cast<std::uint32_t>(at));
      at += data[k].size();
    }
    if (pass == 1) {
      for (const std::string& bytes : data) out.text() += bytes;
      return out.text();
    }
    head = out.text().size();
  }
}

std::vector<double> counted(std::size_t count, double first, double step) {
  std::vector<double> out;
  for (std::size_t n = 0; n < count; ++n) out.push_back(first + step * static_cast<double>(n));
  return out;
}

/// Packed temperatures every ten minutes, two wind components, a coordinate that is no time.
std::string station() {
  std::vector<double> wind;
  for (int n = 0; n < 40; ++n) wind.push_back(n), wind.push_back(-n);
  Variable temperature{
      "temp", {0}, {{"units", "degC"}, {"scale_factor", "", 0.01}, {"add_offset", "", 5}}, true, {}};
  temperature.attributes.push_back({"_FillValue", "", -999});
  temperature.values = counted(40, 100, 3);
  temperature.values[7] = -999;
  return netcdf({{"time", 40}, {"axis", 2}, {"height", 5}}, {{"title", "made up"}},
                {{"time", {0}, {{"units", "minutes since 2024-03-25 23:50:00"}}, false, counted(40, 1e6, 10)},
                 temperature,
                 {"wind", {0, 1}, {{"units", "m/s"}}, false, wind},
                 {"height", {2}, {{"units", "m"}}, false, counted(5, 0, 10)},
                 {"density", {2}, {{"units", "kg/m^3"}}, false, counted(5, 1.2, -0.01)}});
}

TEST(Netcdf, CoordinatesPackedNumbersAndPartsFollowTheConventions) {
  const ScratchFolder folder;
  const WholeRecording r = read_file(folder.write("station.nc", station()));
  EXPECT_THAT(r.names(), ElementsAre("temp", "wind 1", "wind 2"));
  EXPECT_NEAR(r.recording.axis.interval, 600, 1e-6);
  EXPECT_EQ(r.recording.axis.start, 0);
  ASSERT_TRUE(r.recording.zero_ns);
  EXPECT_EQ(*r.recording.zero_ns, 1711410600000000000 + 60000000000000000);
  EXPECT_EQ(r.recording.channels[0].unit.text(), "degC");
  EXPECT_NEAR(r.columns[0][0], 6, 1e-12);
  EXPECT_NEAR(r.columns[0][39], 5 + 0.01 * (100 + 3 * 39), 1e-12);
  EXPECT_TRUE(std::isnan(r.columns[0][7]));
  EXPECT_EQ(r.columns[2][39], -39);
  ASSERT_EQ(r.recording.parts.size(), 2u);
  EXPECT_EQ(r.recording.parts[1].name, "height");
  ReadSettings settings;
  settings.part = "height";
  const WholeRecording other = read_file(folder.path("station.nc"), settings);
  EXPECT_THAT(other.names(), ElementsAre("density"));
  EXPECT_EQ(other.recording.axis.domain, Axis::Domain::other);
  EXPECT_EQ(other.recording.axis.unit.text(), "m");
}

TEST(Netcdf, AnAttributeGivesTheRateWhereThereIsNoCoordinate) {
  const ScratchFolder folder;
  const WholeRecording r =
      read_file(folder.write("shots.nc", netcdf({{"sample", 50}}, {{"sampling_rate", "", 2500}},
                                                {{"p", {0}, {{"units", "Pa"}}, false, counted(50, 0, 1)}})));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2500, 1e-9);
  EXPECT_EQ(r.columns[0][49], 49);
}

/// Three axes: labels across one of them; what a file says of its numbers' range; numbers without a sign.
TEST(Netcdf, PlacesAcrossAreChannelsByLabelAndCoordinate) {
  const ScratchFolder folder;
  std::vector<double> motion;
  for (int n = 0; n < 30; ++n)
    for (int place = 0; place < 2; ++place)
      for (int depth = 0; depth < 3; ++depth) motion.push_back(100 * n + 10 * place + depth);
  const WholeRecording r = read_file(folder.write(
      "array.nc", netcdf({{"time", 30}, {"probe", 2}, {"depth", 3}, {"letters", 5}, {"wide", 5000}}, {},
                         {{"time", {0}, {{"units", "ms"}}, false, counted(30, 0, 0.5)},
                          {"probe_id", {1, 3}, {}, false, {}, std::string("west\0east\0", 10)},
                          {"depth", {2}, {{"units", "m"}}, false, {1.5, 3, 4.5}},
                          {"motion", {0, 1, 2}, {{"units", "mm"}}, false, motion},
                          {"operator", {3}, {}, false, {}, std::string("Ada\0\0", 5)},
                          {"bore", {}, {{"units", "mm"}}, false, {82.5}},
                          {"map", {0, 4}, {}, true, std::vector<double>(150000, 1)}})));
  EXPECT_THAT(r.names(),
              ElementsAre("motion west depth 1.5 m", "motion west depth 3 m", "motion west depth 4.5 m",
                          "motion east depth 1.5 m", "motion east depth 3 m", "motion east depth 4.5 m"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2000, 1e-9);
  EXPECT_EQ(r.columns[0][29], 2900);
  EXPECT_EQ(r.columns[4][29], 2911);
  EXPECT_THAT(
      r.recording.notes,
      ::testing::IsSupersetOf({std::pair<std::string, std::string>("operator", "Ada"), {"bore", "82.5 mm"}}));
  EXPECT_THAT(r.codes(), ::testing::Contains("sets-left-out"));
}

TEST(Netcdf, MissingIsWhatTheFileSaysAndNoMore) {
  const ScratchFolder folder;
  std::vector<double> sign = counted(40, 0, 1600), packed = counted(40, -10, 1);
  for (double& x : sign) x = x > 32767 ? x - 65536 : x;
  const WholeRecording r = read_file(folder.write(
      "full.nc", netcdf({{"n", 40}}, {},
                        {{"sample_rate", {}, {{"units", "Hz"}}, false, {250}},
                         {"full", {0}, {{"units", "V"}}, true, counted(40, -32767, 20)},
                         {"plain", {0}, {{"_Unsigned", "true"}}, true, sign},
                         {"held", {0}, {{"valid_min", "", -3}, {"valid_max", "", 20}}, true, packed},
                         {"turned", {0}, {{"scale_factor", "", 0.5}, {"valid_max", "", 5}}, true, packed}})));
  EXPECT_THAT(r.names(), ElementsAre("full", "plain", "held", "turned"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 250, 1e-9);
  EXPECT_EQ(r.columns[0][0], -32767);
  EXPECT_EQ(r.columns[1][39], 62400);
  // Attributes of the numbers' own type bound the numbers as stored; here they are doubles, as the scale is.
  EXPECT_TRUE(std::isnan(r.columns[2][6]));
  EXPECT_EQ(r.columns[2][7], -3);
  EXPECT_EQ(r.columns[2][30], 20);
  EXPECT_TRUE(std::isnan(r.columns[2][31]));
  EXPECT_EQ(r.columns[3][20], 5);
  EXPECT_TRUE(std::isnan(r.columns[3][21]));
}

TEST(Netcdf, TheAxisIsWhatIsAskedFor) {
  const ScratchFolder folder;
  const std::string path =
      folder.write("two.nc", netcdf({{"time", 6}}, {},
                                    {{"time", {0}, {{"units", "s"}}, false, counted(6, 0, 0.5)},
                                     {"sent", {0}, {{"units", "s"}}, false, counted(6, 1, 0.25)},
                                     {"p", {0}, {{"units", "Pa"}}, false, {3, 1, 2, 5, 4, 6}}}));
  EXPECT_THAT(read_file(path).names(), ElementsAre("sent", "p"));
  ReadSettings settings;
  settings.axis = "sent";
  const WholeRecording other = read_file(path, settings);
  EXPECT_THAT(other.names(), ElementsAre("time", "p"));
  EXPECT_NEAR(other.recording.axis.interval, 0.25, 1e-12);
  settings.axis = "none";
  EXPECT_THAT(read_file(path, settings).names(), ElementsAre("time", "sent", "p"));
  settings.axis = "when";
  EXPECT_THROW(read_file(path, settings), Error);
}

TEST(Netcdf, WordsAlongTheTimeAreNamed) {
  const ScratchFolder folder;
  const WholeRecording r = read_file(folder.write(
      "marks.nc", netcdf({{"time", 6}, {"letters", 3}}, {},
                         {{"time", {0}, {{"units", "s"}}, false, counted(6, 0, 0.5)},
                          {"p", {0}, {{"units", "Pa"}}, false, counted(6, 1, 1)},
                          {"mark", {0, 1}, {}, false, {}, std::string("on\0offon\0offon\0off", 18)}})));
  EXPECT_THAT(r.names(), ElementsAre("p"));
  EXPECT_TRUE(r.warns_of("sets-left-out"));
}

TEST(Netcdf, CutAndChangedFilesAreErrorsOrReadNeverACrash) {
  const ScratchFolder folder;
  const std::string whole = station();
  const auto tried = [&](const std::string& bytes) {
    try {
      read_file(folder.write("damaged.nc", bytes));
    } catch (const Error& error) {
      EXPECT_TRUE(error.status() == Status::input || error.status() == Status::analysis) << error.what();
    }
  };
  for (std::size_t size = 4; size < whole.size(); size += 37) tried(whole.substr(0, size));
  for (std::size_t at = 4; at < 700; ++at) {
    std::string bytes = whole;
    bytes[at] = static_cast<char>(bytes[at] ^ 0x41);
    tried(bytes);
    bytes[at] = '\xFF';
    tried(bytes);
  }
}

}  // namespace
}  // namespace vprism::netcdf_test
