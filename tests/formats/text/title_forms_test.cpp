// title_forms_test.cpp: how titles carry units and groups, and titles that only look so.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include "formats/reading.h"
#include "formats/text/titles/head_lines.h"

namespace vprism::title_forms_test {
namespace {

using ::testing::ElementsAre;

/// A table of three columns under these lines: times in steps of a hundredth, n and -n.
WholeRecording under(const std::string& head, char delimiter = ',', int columns = 3) {
  std::string text = head + "\n";
  for (int n = 0; n < 30; ++n) {
    text += fmt::format("{:.2f}", 0.01 * n);
    for (int c = 1; c < columns; ++c) text += fmt::format("{}{}.5", delimiter, c % 2 == 1 ? n : -n);
    text += "\n";
  }
  const ScratchFolder folder;
  return read_file(folder.write("x.txt", text));
}

std::vector<std::string> units(const WholeRecording& r) {
  std::vector<std::string> out;
  for (const Channel& c : r.recording.channels) out.push_back(c.unit.text());
  return out;
}

struct Form {
  std::string head, name, other, unit, other_unit;
};
void PrintTo(const Form& f, std::ostream* out) { *out << f.head; }

class TitleForms : public ::testing::TestWithParam<Form> {};

TEST_P(TitleForms, GiveNamesAndUnits) {
  const Form& f = GetParam();
  const WholeRecording r = under(f.head);
  EXPECT_THAT(r.names(), ElementsAre(f.name, f.other));
  EXPECT_THAT(units(r), ElementsAre(f.unit, f.other_unit));
  EXPECT_NEAR(r.recording.axis.interval, 0.01, 1e-12);
  EXPECT_EQ(r.columns[0].size(), 30u);
  EXPECT_EQ(r.columns[1][29], -29.5);
}

INSTANTIATE_TEST_SUITE_P(
    All, TitleForms,
    ::testing::Values(Form{"t in s,U in mV,p in bar", "U", "p", "mV", "bar"},
                      Form{"[s] t,[V] U1,[A] I1", "U1", "I1", "V", "A"},
                      Form{"Zeit,Druck hPa,Temperatur °C", "Druck", "Temperatur", "hPa", "°C"},
                      Form{"time (s),force (N),p hPa", "force", "p", "N", "hPa"},
                      Form{"// t,u,v", "u", "v", "1", "1"}, Form{"Time,100,200", "100", "200", "1", "1"},
                      Form{"s,V,A\nTime,Voltage,Current", "Voltage", "Current", "V", "A"},
                      // Words that are units elsewhere.
                      Form{"Time (s),Left foot,Right foot", "Left foot", "Right foot", "1", "1"},
                      Form{"Time (s),Phase A,Phase B", "Phase A", "Phase B", "1", "1"},
                      Form{"Time (s),plug in,lid in", "plug in", "lid in", "1", "1"},
                      Form{"Time (s),water in,air out hPa", "water in", "air out hPa", "1", "1"}));

TEST(TitleGroups, GoBeforeNamesThatComeAgainOnly) {
  const WholeRecording twice = under(",Motor,,Pump,\nTime (s),Speed,Torque,Speed,Torque", ',', 5);
  EXPECT_THAT(twice.names(), ElementsAre("Motor Speed", "Motor Torque", "Pump Speed", "Pump Torque"));
  const WholeRecording once = under(",Motor,,Pump,\nTime (s),Speed,Torque,Flow,Head", ',', 5);
  EXPECT_THAT(once.names(), ElementsAre("Speed", "Torque", "Flow", "Head"));
  // A group that does not tell them apart.
  const WholeRecording alike = under(",Bench,,,\nTime (s),Speed,Torque,Speed,Torque", ',', 5);
  EXPECT_THAT(alike.names(), ElementsAre("Speed", "Torque", "Speed (2)", "Torque (2)"));
}

TEST(NumberedNames, AreAsManyAsThereAreColumns) {
  const WholeRecording all = under("Bench 4\nChannel 1: Inlet [bar]\nChannel 2: Outlet, mV\n");
  EXPECT_THAT(all.names(), ElementsAre("Inlet", "Outlet"));
  EXPECT_THAT(units(all), ElementsAre("bar", "mV"));
  const WholeRecording fewer = under("Bench 4\nChannel 1: Inlet [bar]\nChannel 7: Outlet [mV]\n");
  EXPECT_THAT(fewer.names(), ElementsAre("channel 1", "channel 2"));
}

TEST(SettingsAbove, MayHaveTitlesOfTheirOwn) {
  const WholeRecording r = under("Serial,Gain\n1234,2\nTime (s),u,v");
  EXPECT_THAT(r.names(), ElementsAre("u", "v"));
  EXPECT_THAT(r.recording.notes, ::testing::Contains(std::pair<std::string, std::string>("Serial", "1234")));
  // Keys beside their values are none such.
  const WholeRecording keyed = under("Model,AB\nRate,100\nTime (s),u,v");
  EXPECT_THAT(keyed.recording.notes, ::testing::Contains(std::pair<std::string, std::string>("Rate", "100")));
}

TEST(SettingsAbove, RatesAreCountedInSamples) {
  const ScratchFolder folder;
  const auto rate = [&](const std::string& line) {
    std::string text = line + "\nu,v\n";
    for (int n = 0; n < 20; ++n) text += fmt::format("{}.5,{}.25\n", n, -n);
    return read_file(folder.write("r.csv", text)).recording.axis.rate_hz();
  };
  EXPECT_NEAR(rate("Sampling: 20 kS/s"), 20e3, 1e-6);
  EXPECT_NEAR(rate("Sample rate,2.5 MSa/s"), 2.5e6, 1e-4);
  EXPECT_NEAR(rate("fs=51.2k"), 51.2e3, 1e-6);
  EXPECT_NEAR(rate("Scan rate: 50/s"), 50, 1e-9);
  EXPECT_NEAR(rate("Sample Rate: 44100 Hz. One channel, values between -1 and 1."), 44100, 1e-6);
}

TEST(LinesBetween, ThatStandAboveAreCountedAndOthersAreBad) {
  const ScratchFolder folder;
  std::string text = "rig 7, page 1\nt (s),u (V)\n";
  for (int n = 0; n < 60; ++n) {
    if (n == 30) text += "rig 7, page 2\nt (s),u (V)\n";
    text += fmt::format("{:.2f},{}.5\n", 0.01 * n, n);
  }
  const WholeRecording r = read_file(folder.write("p.csv", text));
  EXPECT_EQ(r.columns[0].size(), 60u);
  EXPECT_TRUE(r.warns_of("lines-repeated"));
  // Times that begin anew are another table.
  std::string anew = "rig 7, page 1\nt (s),u (V)\n";
  for (int n = 0; n < 60; ++n) {
    if (n == 30) anew += "rig 7, page 2\nt (s),u (V)\n";
    anew += fmt::format("{:.2f},{}.5\n", 0.01 * (n % 30), n);
  }
  EXPECT_EQ(read_file(folder.write("q.csv", anew)).recording.parts.size(), 2u);
}

TEST(HeadLinesOf, AFileDifferInMoreThanDigits) {
  HeadLines head;
  head.add("  rig 7, page 1\r"), head.add("9 volts"), head.add("-----"), head.add("");
  EXPECT_TRUE(head.has("rig 8, page 4"));
  EXPECT_TRUE(head.has("\frig 7, page 1  "));
  EXPECT_TRUE(head.has("rig 10, page 4"));  // Pages go on to ten.
  EXPECT_FALSE(head.has("rig 7, page"));
  EXPECT_FALSE(head.has("rag 7, page 1"));
  // What begins as rows do is data.
  EXPECT_FALSE(head.has("9 volts"));
  EXPECT_FALSE(head.has("-----"));
  EXPECT_FALSE(head.has(""));
  EXPECT_FALSE(head.has(std::string(5000, 'x')));
}

TEST(SettingsBeside, AreNotCalledLeftOut) {
  const WholeRecording r = read_file(VPRISM_SOURCE "/demo/data/drive-scope.csv");
  EXPECT_FALSE(r.warns_of("column-left-out"));
  EXPECT_THAT(r.recording.notes, ::testing::Contains(std::pair<std::string, std::string>(
                                     "Instrument", "Tern Point bench scope")));
}

}  // namespace
}  // namespace vprism::title_forms_test
