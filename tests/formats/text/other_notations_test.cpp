// other_notations_test.cpp: recordings in XML, YAML and the text of programs, damaged and hostile ones too.
#include <gmock/gmock.h>

#include <cmath>

#include "base/error.h"
#include "formats/reading.h"

namespace vprism::other_notations_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

WholeRecording read_text(const std::string& name, const std::string& text,
                         const ReadSettings& settings = {}) {
  const ScratchFolder folder;
  return read_file(folder.write(name, text), settings);
}

std::string complaint(const std::string& name, const std::string& text) {
  try {
    read_text(name, text);
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::input);
    return error.what();
  }
  return "read";
}

std::string repeated(const std::string& text, int times) {
  std::string out;
  for (int n = 0; n < times; ++n) out += text;
  return out;
}

TEST(Xml, ElementsWithTextsAndMissingNumbers) {
  const WholeRecording r = read_text("a.xml", R"(<?xml version="1.0" encoding="UTF-8"?>
<!-- made up --><m:log xmlns:m="urn:m" rate="2 kHz"><m:ch id="a" unit="V"><![CDATA[1;2,5;NaN;4]]></m:ch>
<m:ch id="b &lt;1&gt;" unit="A">5 6 7 8</m:ch><m:remark>none</m:remark></m:log>)");
  EXPECT_THAT(r.names(), ElementsAre("a", "b <1>"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "V");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2000, 1e-9);
  EXPECT_EQ(r.columns[0][1], 2.5);
  EXPECT_TRUE(std::isnan(r.columns[0][2]));
  EXPECT_THAT(r.columns[1], ElementsAre(5, 6, 7, 8));
}

TEST(Xml, ElementsOfOneNameAreAListWhereverTheyStand) {
  const WholeRecording r =
      read_text("a.xml", "<d><v>1</v><w>9</w><v>2</v><w>8</w><v>3</v><w>7</w><interval>0.01</interval></d>");
  EXPECT_THAT(r.names(), ElementsAre("v", "w"));
  EXPECT_THAT(r.columns[0], ElementsAre(1, 2, 3));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 100, 1e-9);
}

TEST(Xml, NothingThatItNamesIsOpenedOrMadeLonger) {
  const std::string laughs =
      R"(<?xml version="1.0"?><!DOCTYPE d [<!ENTITY a "1 2 3 4"><!ENTITY b "&a;&a;&a;"><!ENTITY f SYSTEM "file:///etc/passwd">]>)"
      "<d><v>1 2 3</v><w>&b;</w><x>&f;</x></d>";
  const WholeRecording r = read_text("a.xml", laughs);
  EXPECT_THAT(r.names(), ElementsAre("v"));
  for (const auto& [key, value] : r.recording.notes) EXPECT_THAT(value, testing::Not(HasSubstr("root")));
  EXPECT_THAT(complaint("a.xml", repeated("<a>", 100) + "1 2 3" + repeated("</a>", 100)),
              HasSubstr("levels"));
  EXPECT_THAT(complaint("a.xml", "<?xml version=\"1.0\"?>" + repeated("<a>", 200000)),
              HasSubstr("damaged XML"));
  EXPECT_THAT(complaint("a.xml", "<?xml version=\"1.0\"?><a><v>1 2 3</v>"),
              HasSubstr("damaged XML near byte"));
  EXPECT_THAT(complaint("a.xml", "<?xml version=\"1.0\"?><a><b>words</b></a>"),
              HasSubstr("no array of numbers"));
}

TEST(Yaml, ListsOfRowsAndTextsInQuotes) {
  const WholeRecording r = read_text("a.yaml", R"(%YAML 1.2
---
"sample rate": 2 kHz   # of the card
unit: mV
columns: [a, 'b (V)']
rows:
  - [1, 5]
  - [2, 6.5]
  - [3, .nan]
...
)");
  EXPECT_THAT(r.names(), ElementsAre("a", "b"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2000, 1e-9);
  EXPECT_THAT(r.columns[0], ElementsAre(1, 2, 3));
  EXPECT_EQ(r.columns[1][1], 6.5);
}

TEST(Yaml, AliasesAreBoundedAndDamageIsPlaced) {
  std::string bomb = "fs: 10\na: &a [1, 2, 3, 4, 5, 6, 7, 8, 9]\n";
  for (char c = 'b'; c < 'k'; ++c)
    bomb += std::string(1, c) + ": &" + c + " [" +
            repeated("*" + std::string(1, static_cast<char>(c - 1)) + ", ", 9) + "1]\n";
  EXPECT_THAT(complaint("a.yaml", bomb), HasSubstr("aliases"));
  EXPECT_THAT(complaint("a.yaml", "fs: 10\nu: [1, 2, 3\nv: 3]]\n"), HasSubstr("damaged YAML: line"));
  EXPECT_THAT(
      complaint("a.yaml", "a:\n  - x: [1, 2]\n    y: " + repeated("[", 60) + "1" + repeated("]", 60) + "\n"),
      HasSubstr("levels"));
}

TEST(Yaml, APreambleOfKeysAboveRowsIsNone) {
  const WholeRecording r =
      read_text("a.txt", "Device: DL 3\nRate: 500 Hz\nData:\n" + repeated("0.1, 4.5\n0.3, 4.6\n", 20));
  EXPECT_EQ(r.recording.format.substr(0, 9), "delimited");
  ASSERT_EQ(r.columns.size(), 2u);
  EXPECT_EQ(r.columns[1][1], 4.6);
}

TEST(Program, RemarksSettingsAndArraysOfOtherLengths) {
  const std::string text = R"(# made by a script
import numpy as np
dt = 5e-4  # s
u = np.array([1.0, 2.0,  # the first two
              3.0, -4e0])
i = np.array([0x10, 2, 3, nan])
gains = [1, 2, 3, 4, 5, 6]
)";
  const WholeRecording r = read_text("a.py", text);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2000, 1e-9);
  ASSERT_EQ(r.recording.parts.size(), 2u);
  EXPECT_THAT(r.names(), ElementsAre("u", "i"));
  EXPECT_THAT(r.columns[0], ElementsAre(1, 2, 3, -4));
  EXPECT_EQ(r.columns[1][0], 16);
  EXPECT_TRUE(std::isnan(r.columns[1][3]));
  ReadSettings other;
  other.part = "2";
  EXPECT_THAT(read_text("a.py", text, other).columns[0], ElementsAre(1, 2, 3, 4, 5, 6));
}

TEST(Program, AMatrixHasARowInEachLineUnlessCommasGoOn) {
  const WholeRecording r =
      read_text("a.m", "fs = 100;\nx = [\n 1 10 % first\n 2 20\n 3 30\n];\ny = [\n 4,\n 5,\n 6\n];\n");
  EXPECT_THAT(r.names(), ElementsAre("x 1", "x 2", "y"));
  EXPECT_THAT(r.columns[1], ElementsAre(10, 20, 30));
  EXPECT_THAT(r.columns[2], ElementsAre(4, 5, 6));
}

TEST(OtherNotations, WhatIsNoNumberKeepsItsPlace) {
  const auto second = [](const std::string& name, const std::string& text) {
    const WholeRecording r = read_text(name, text);
    EXPECT_EQ(r.columns.at(0).size(), 12u) << name;
    return r.columns.at(0).at(1);
  };
  const std::string more = repeated(" 3", 10), listed = repeated(", 3", 10);
  EXPECT_TRUE(std::isnan(second("a.xml", "<d><v>1 FAULT" + more + "</v></d>")));
  EXPECT_TRUE(std::isnan(second("a.yaml", "fs: 10\nv: [1, .nan" + listed + "]\n")));
  EXPECT_TRUE(std::isnan(second("a.py", "v = [1, np.nan" + listed + "]\nw = [1, 2" + listed + "]\n")));
  // Columns of on and off that hold another word further down.
  std::string rows = "time (s),gate,force (N)\n";
  for (int n = 0; n < 60; ++n)
    rows += std::to_string(n * 0.01) + "," +
            (n == 40      ? "FAULT"
             : n % 2 == 0 ? "on"
                          : "off") +
            "," + std::to_string(n % 7) + "\n";
  EXPECT_EQ(read_text("a.csv", rows).names(), (std::vector<std::string>{"force"}));
}

TEST(OtherNotations, NanosecondsSince1970KeepTheirDigits) {
  std::string yaml = "rows:\n", xml = "<log>";
  for (int n = 0; n < 20; ++n) {
    const std::string stamp = std::to_string(1700000000000000000 + 1000LL * n),
                      value = std::to_string(n * n % 7);
    yaml += "  - {t: " + stamp + ", u: " + value + "}\n";
    xml += "<row t=\"" + stamp + "\" u=\"" + value + "\"/>";
  }
  for (const auto& [name, text] :
       {std::pair<std::string, std::string>("a.yaml", yaml), {"a.xml", xml + "</log>"}}) {
    const WholeRecording r = read_text(name, text);
    EXPECT_NEAR(r.recording.axis.interval, 1e-6, 1e-12) << name;
    EXPECT_EQ(r.recording.zero_ns, 1700000000000000000) << name;
  }
}

TEST(TimesInArrays, AFirstChannelThatRisesEvenlyIsTheTimeWhereNothingElseIs) {
  const ScratchFolder folder;
  ASSERT_TRUE(run_python(folder, R"(
import h5py, numpy as np
t = 2 + np.arange(300) / 250; a = np.sin(50 * t)
np.save('time.npy', np.stack([t, a], 1).astype('f4'))
np.save('count.npy', np.stack([np.arange(300), a], 1))
np.save('walk.npy', np.stack([np.cumsum(1 + (np.arange(300) * 7 % 5)), a], 1))
with h5py.File('time.h5', 'w') as f: f['data'] = np.stack([a, t], 1)
with h5py.File('x.h5', 'w') as f: f['x'] = t; f['y'] = np.stack([a, -a])
with h5py.File('places.h5', 'w') as f: f['x'] = a; f['y'] = -a
)"));
  const WholeRecording floats = read_file(folder.path("time.npy"));
  EXPECT_NEAR(floats.recording.axis.rate_hz(), 250, 1e-4);
  EXPECT_NEAR(floats.recording.axis.start, 2, 1e-6);
  EXPECT_TRUE(floats.warns_of("axis-assumed"));
  EXPECT_FALSE(floats.recording.axis.stamped);
  for (const char* name : {"count.npy", "walk.npy", "places.h5"})
    EXPECT_EQ(read_file(folder.path(name)).columns.size(), 2u) << name;
  ReadSettings rated;
  rated.rate_hz = 100;
  EXPECT_EQ(read_file(folder.path("time.npy"), rated).columns.size(), 2u);
  EXPECT_NEAR(read_file(folder.path("x.h5")).recording.axis.rate_hz(), 250, 1e-6);
  // A column of a data set, named or by its number.
  for (const char* axis : {"data 2", "2"}) {
    ReadSettings named;
    named.axis = axis;
    const WholeRecording r = read_file(folder.path("time.h5"), named);
    EXPECT_THAT(r.names(), ElementsAre("data 1"));
    EXPECT_NEAR(r.recording.axis.rate_hz(), 250, 1e-6);
  }
  ReadSettings wrong;
  wrong.axis = "tiem";
  EXPECT_THROW(read_file(folder.path("time.h5"), wrong), Error);
}

}  // namespace
}  // namespace vprism::other_notations_test
