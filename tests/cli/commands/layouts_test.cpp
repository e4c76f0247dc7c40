// Text tables in the layouts that instruments, loggers and solvers write: names, units, axis and numbers of
// each, and what is not taken.
#include <gmock/gmock.h>

#include <cmath>
#include <functional>
#include <string>
#include <vector>

#include "cli/run_program.h"

namespace vprism::layouts_test {
namespace {

using json = nlohmann::json;
using testing::Contains;
using testing::Not;

constexpr int rows = 200;

std::string printed(const char* format, double value) {
  char text[64];
  std::snprintf(text, sizeof text, format, value);
  return text;
}
/// Of a sine of 50 Hz in steps of a millisecond.
double sine(int i) { return std::sin(2 * M_PI * 50 * i * 1e-3); }
double at(int i) { return i * 1e-3; }

struct Column {
  std::string name, unit;
  double least, greatest;
};
struct Layout {
  std::string what, head;
  std::function<std::string(int)> row;
  double rate_hz, start_s;
  std::vector<Column> columns;
  std::vector<std::string> codes = {};  ///< Cautions that must be there.
};

std::vector<Layout> layouts() {
  const std::vector<Column> volt = {{"u", "V", -1, 1}};
  return {
      {"a blank line between units and numbers",
       "Time,Voltage\n(ms),(mV)\n\n",
       [](int i) { return std::to_string(i) + "," + printed("%.4f", 1e3 * sine(i)); },
       1000,
       0,
       {{"Voltage", "mV", -1000, 1000}}},
      {"start and increment below their titles",
       "X,CH1,Start,Increment\nSequence,Volt,-2.0e-01,1.0e-03\n",
       [](int i) { return std::to_string(i) + "," + printed("%.6f", sine(i)) + ",,"; },
       1000,
       -0.2,
       {{"CH1", "Volt", -1, 1}},
       {"axis-counts"}},
      {"settings beside the rows",
       "",
       [](int i) {
         static const char* const keys[] = {"Record Length,200", "Sample Interval,1.0E-3", "Vertical Units,A",
                                            "Horizontal Units,s", "Source,CH2"};
         return std::string(i < 5 ? keys[i] : ",") + "," + printed("%.4f", at(i) - 0.1) + "," +
                printed("%.6f", sine(i));
       },
       1000,
       -0.1,
       {{"CH2", "A", -1, 1}}},
      {"the day first, in a column of its own",
       "Date,Time,Force (N)\n",
       [](int i) { return "13/04/2025,12:00:" + printed("%06.3f", at(i)) + "," + printed("%.5f", sine(i)); },
       1000,
       0,
       {{"Force", "N", -1, 1}}},
      {"AM and PM",
       "Timestamp,u [V]\n",
       [](int i) {
         return "4/3/2025 1:05:" + printed("%06.3f", 0.1 * i) + " PM," + printed("%.5f", sine(i));
       },
       10,
       0,
       volt,
       {"date-order"}},
      {"months as words", "when;u (V)\n",
       [](int i) { return "13-Apr-2025 12:00:" + printed("%06.3f", at(i)) + ";" + printed("%.5f", sine(i)); },
       1000, 0, volt},
      {"a comment that names columns and units", "# time: s, u: V\n",
       [](int i) { return printed("%.3f", at(i)) + " " + printed("%.5f", sine(i)); }, 1000, 0, volt},
      {"vectors in parentheses",
       "# Probe 0 (0.35 0.02 0)\n# Probe 1 (0.7 0.02 0)\n# Time\n",
       [](int i) {
         return printed("%.3f", at(i)) + " (" + printed("%.5f", sine(i)) + " 0.2 0) (" +
                printed("%.5f", 2 * sine(i)) + " 0.1 0)";
       },
       1000,
       0,
       {{"Probe 0 x", "1", -1, 1},
        {"Probe 0 y", "1", 0.2, 0.2},
        {"Probe 0 z", "1", 0, 0},
        {"Probe 1 x", "1", -2, 2},
        {"Probe 1 y", "1", 0.1, 0.1},
        {"Probe 1 z", "1", 0, 0}}},
      {"over the range, as words and as numbers",
       "time (s),u (V)\n",
       [](int i) {
         return printed("%.3f", at(i)) + "," +
                (i == 7   ? "OL"
                 : i == 8 ? "-9.9E37"
                 : i == 9 ? "9.91e37"
                          : printed("%.5f", sine(i)));
       },
       1000,
       0,
       volt,
       {"over-range"}},
      {"thousands with points, decimal commas",
       "t (s);p (Pa)\n",
       [](int i) {
         const double p = 10'500 + 400 * sine(i);
         const int whole = static_cast<int>(p);
         std::string tail = printed("%03.0f", whole % 1000), time = printed("%.3f", at(i));
         time.replace(time.find('.'), 1, ",");
         return time + ";" + std::to_string(whole / 1000) + "." + tail + "," +
                printed("%02.0f", std::floor(100 * (p - whole)));
       },
       1000,
       0,
       {{"p", "Pa", 10'100, 10'900}}},
      {"units behind the numbers", "time,u\n",
       [](int i) { return printed("%.3f", at(i)) + " s," + printed("%.5f", sine(i)) + " V"; }, 1000, 0, volt},
      {"a typographic minus", "time (s),u (V)\n",
       [](int i) {
         std::string v = printed("%.5f", sine(i));
         if (v[0] == '-') v.replace(0, 1, "\xE2\x88\x92");
         return printed("%.3f", at(i)) + "," + v;
       },
       1000, 0, volt},
      {"a channel written every tenth row",
       "time (s),u (V),slow (degC)\n",
       [](int i) {
         return printed("%.3f", at(i)) + "," + printed("%.5f", sine(i)) + "," +
                (i % 10 == 0 ? printed("%.2f", 20 + 0.01 * i) : "");
       },
       1000,
       0,
       volt,
       {"slow-channels"}},
      {"a column that ends in an overload",
       "time (s),u (V),v (V)\n",
       [](int i) {
         return printed("%.3f", at(i)) + "," + printed("%.5f", sine(i)) + "," +
                (i < 190 ? printed("%.5f", sine(i)) : "Overload");
       },
       1000,
       0,
       {{"u", "V", -1, 1}, {"v", "V", -1, 1}},
       {"over-range"}},
      {"a column whose first number comes late",
       "time (s),u (V),v (V)\n",
       [](int i) {
         return printed("%.3f", at(i)) + "," + printed("%.5f", sine(i)) + "," +
                (i >= 100 ? printed("%.5f", sine(i)) : "");
       },
       1000,
       0,
       {{"u", "V", -1, 1}, {"v", "V", -1, 1}},
       {"gaps"}},
      {"names that end like units",
       "time (s),volt_in,current_mA\n",
       [](int i) {
         return printed("%.3f", at(i)) + "," + printed("%.5f", sine(i)) + "," + printed("%.5f", sine(i));
       },
       1000,
       0,
       {{"volt_in", "1", -1, 1}, {"current", "mA", -1, 1}}},
      {"days of a spreadsheet",
       "day,u (V)\n",
       [](int i) { return printed("%.10f", 45760.5 + i / 86400.0) + "," + printed("%.5f", sine(i)); },
       1,
       0,
       volt,
       {"clock-counted"}},
      {"whole numbers to the base of sixteen",
       "time (s),code\n",
       [](int i) { return printed("%.3f", at(i)) + ",0x0" + std::to_string(100 + i); },
       1000,
       0,
       {{"code", "1", 0x100, 0x299}}},
      {"quoted, with thousands",
       "\"time (s)\",\"p (Pa)\"\n",
       [](int i) {
         return "\"" + printed("%.3f", at(i)) + "\",\"5,3" + printed("%04.1f", 50 + 40 * sine(i)) + "\"";
       },
       1000,
       0,
       {{"p", "Pa", 5310, 5390}}},
      {"percent",
       "time (s),duty\n",
       [](int i) { return printed("%.3f", at(i)) + "," + printed("%.3f", 50 + 10 * sine(i)) + "%"; },
       1000,
       0,
       {{"duty", "%", 40, 60}}},
      {"a column of words",
       "time (s),u (V),state\n",
       [](int i) { return printed("%.3f", at(i)) + "," + printed("%.5f", sine(i)) + ",running"; },
       1000,
       0,
       volt,
       {"column-left-out"}},
  };
}

TEST(Layouts, ASlowChannelIsAPartOfItsOwnRate) {
  const ScratchFolder folder;
  std::string text = "time (s),u (V),slow (degC)\n", timeless = "rate: 1 kHz\nu (V),slow (degC)\n";
  for (int i = 0; i < rows; ++i) {
    const std::string cells =
        printed("%.5f", sine(i)) + "," + (i % 7 == 3 ? printed("%.2f", 20 + 0.01 * i) : std::string());
    text += printed("%.3f", at(i)) + "," + cells + "\n";
    timeless += cells + "\n";
  }
  folder.write("x.csv", text);
  folder.write("t.csv", timeless);
  for (const char* name : {"x.csv", "t.csv"}) {
    const json slow = document_of(folder, std::string("inspect --part slow --figure none ") + name);
    const json& channel = slow["inputs"][0]["channels"][0];
    EXPECT_EQ(text_of(channel["name"]), "slow") << name;
    EXPECT_NEAR(number_of(channel["rate_hz"]), 1000.0 / 7, 1e-3) << name;
    EXPECT_NEAR(number_of(channel["start_s"]), at(3) - (name[0] == 't' ? at(0) : 0), 1e-9) << name;
    EXPECT_THAT(codes_of(slow), Not(Contains("gaps"))) << name;
  }
  const json filled = document_of(folder, "inspect x.csv --missing interpolate --figure none");
  EXPECT_EQ(filled["inputs"][0]["channels"].size(), 2u);
}

TEST(Layouts, AreReadAsTheyAreWritten) {
  const ScratchFolder folder;
  for (const Layout& layout : layouts()) {
    std::string text = layout.head;
    for (int i = 0; i < rows; ++i) text += layout.row(i) + "\n";
    folder.write("x.csv", text);
    const ProgramRun run = run_program(folder, "inspect x.csv --json --quiet --figure none");
    ASSERT_EQ(run.status, 0) << layout.what << ": " << run.err;
    const json document = run.json();
    const json& channels = document["inputs"][0]["channels"];
    ASSERT_EQ(channels.size(), layout.columns.size()) << layout.what << channels.dump();
    for (std::size_t c = 0; c < layout.columns.size(); ++c) {
      const Column& wanted = layout.columns[c];
      EXPECT_EQ(text_of(channels[c]["name"]), wanted.name) << layout.what;
      EXPECT_EQ(text_of(channels[c]["unit"]), wanted.unit) << layout.what;
      EXPECT_EQ(channels[c]["samples"].get<int>(), rows) << layout.what;
      EXPECT_NEAR(number_of(channels[c]["rate_hz"]), layout.rate_hz, 2e-5 * layout.rate_hz) << layout.what;
      EXPECT_NEAR(number_of(channels[c]["start_s"]), layout.start_s, 1e-4) << layout.what;
      const double slack = 0.002 * (wanted.greatest - wanted.least) + 1e-9;
      EXPECT_NEAR(number_of(document["results"][c]["min"]), wanted.least, slack) << layout.what;
      EXPECT_NEAR(number_of(document["results"][c]["max"]), wanted.greatest, slack) << layout.what;
    }
    for (const std::string& code : layout.codes)
      EXPECT_THAT(codes_of(document), Contains(code)) << layout.what;
    EXPECT_THAT(codes_of(document), Not(Contains("rate-unknown"))) << layout.what;
  }
}

TEST(Layouts, ARowOfChannelsIsTakenAsOne) {
  const ScratchFolder folder;
  std::string text;
  for (const char* name : {"time (s)", "a (V)", "b (V)"}) {
    text += name;
    for (int i = 0; i < 300; ++i) text += "," + printed("%.4f", name[0] == 't' ? at(i) : sine(i));
    text += "\n";
  }
  folder.write("x.csv", text);
  const json document = run_program(folder, "inspect x.csv --json --quiet --figure none").json();
  EXPECT_THAT(codes_of(document), Contains("channels-in-rows"));
  EXPECT_EQ(document["inputs"][0]["channels"].size(), 2u);
  EXPECT_THAT(codes_of(run_program(folder, "inspect x.csv --no-rows --json --quiet --figure none").json()),
              Contains("rows-few"));
}

TEST(Layouts, TwoTablesInOneFileAreTwoParts) {
  const ScratchFolder folder;
  std::string text = "time (s),u (V)\n";
  for (int i = 0; i < rows; ++i) text += printed("%.3f", at(i)) + "," + printed("%.5f", sine(i)) + "\n";
  text += "\nfrequency (Hz),gain\n";
  for (int i = 0; i < 50; ++i) text += std::to_string(10 * i) + "," + printed("%.3f", 2 + 0.01 * i) + "\n";
  folder.write("x.csv", text);
  const json first = run_program(folder, "inspect x.csv --json --quiet --figure none").json();
  EXPECT_EQ(first["inputs"][0]["parts"].size(), 2u);
  EXPECT_EQ(first["inputs"][0]["channels"][0]["samples"].get<int>(), rows);
  EXPECT_EQ(text_of(first["inputs"][0]["channels"][0]["name"]), "u");
  const json second = run_program(folder, "inspect x.csv --part 2 --json --quiet --figure none").json();
  EXPECT_EQ(second["inputs"][0]["channels"][0]["samples"].get<int>(), 50);
  EXPECT_EQ(text_of(second["inputs"][0]["channels"][0]["name"]), "gain");
  EXPECT_EQ(text_of(second["inputs"][0]["axis"]), "frequency");
  EXPECT_NEAR(number_of(second["results"][0]["max"]), 2.49, 1e-9);
}

}  // namespace
}  // namespace vprism::layouts_test
