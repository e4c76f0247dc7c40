// Case files read: values, variables, options, what is wrong and where.
#include "runner/case_file.h"

#include <gmock/gmock.h>

#include "base/error.h"
#include "formats/scratch_folder.h"

namespace vprism::case_file_test {
namespace {

using ::testing::Contains;
using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::IsEmpty;

class CaseFile : public ::testing::Test {
 protected:
  CaseFile() { folder_.write("a.csv", "t,u\n0,1\n1,2\n"), folder_.write("b.csv", "t,u\n0,1\n1,2\n"); }
  CaseRead read(const std::string& text, std::vector<std::pair<std::string, std::string>> variables = {}) {
    return read_case({folder_.write("c.toml", text), std::move(variables), folder_.path("out/steps")});
  }
  ScratchFolder folder_;
};

TEST_F(CaseFile, RecordingsGiveTheirOptionsToEveryStepOnThem) {
  const CaseRead r = read(R"(
[recordings.z]
file = "a.csv"
rate = "48 kHz"
calibrate = ["u: gain 20 dB", "u: offset 1 V"]
[recordings.a]
file = "b.csv"
[[steps]]
command = "spectrum"
recording = "z"
resolution = "2 Hz"
peaks = 7
[[steps]]
command = "inspect"
recordings = ["z", "a"]
rate = "1 Hz"
)");
  ASSERT_THAT(r.problems, IsEmpty());
  // In the order of the file.
  EXPECT_EQ(r.value.recordings[0].name, "z");
  EXPECT_THAT(r.value.steps[0].options,
              ::testing::UnorderedElementsAre("--rate=48 kHz", "--calibrate=u: gain 20 dB",
                                              "--calibrate=u: offset 1 V", "--resolution=2 Hz", "--peaks=7"));
  EXPECT_THAT(r.value.steps[0].inputs, ElementsAre("a.csv"));
  // A step's own counts more.
  EXPECT_THAT(r.value.steps[1].options, Contains("--rate=1 Hz"));
  EXPECT_THAT(r.value.steps[1].options, ::testing::Not(Contains("--rate=48 kHz")));
  EXPECT_THAT(r.value.steps[1].inputs, ElementsAre("a.csv", "b.csv"));
  EXPECT_EQ(r.value.steps[1].name, "inspect-z-a");
}

TEST_F(CaseFile, RecordingsThatWantDifferentThingsCantShareAStep) {
  const CaseRead r = read(R"(
[recordings.x]
file = "a.csv"
rate = "1 Hz"
[recordings.y]
file = "b.csv"
rate = "2 Hz"
[[comparisons]]
recordings = ["x", "y"]
)");
  ASSERT_EQ(r.problems.size(), 1u);
  EXPECT_THAT(r.problems[0], HasSubstr("want different values of rate"));
}

TEST_F(CaseFile, StepsComparisonsAndLimitsStandInTheOrderOfTheFile) {
  folder_.write("l.csv", "frequency (Hz),limit (1)\n1,1\n2,1\n");
  const CaseRead r = read(R"(
[recordings.x]
file = "a.csv"
[[limits]]
name = "first"
recording = "x"
limit = "l.csv"
[[steps]]
name = "second"
command = "inspect"
recording = "x"
[[comparisons]]
name = "third"
recording = "x"
)");
  ASSERT_THAT(r.problems, IsEmpty());
  std::vector<std::string> commands;
  for (const CaseStep& s : r.value.steps) commands.push_back(s.command);
  EXPECT_THAT(commands, ElementsAre("limits", "inspect", "compare"));
  EXPECT_THAT(r.value.steps[0].files, ElementsAre("l.csv"));
}

TEST_F(CaseFile, VariablesStandAnywhereAndTheCommandLineCountsMore) {
  const char* text = R"(
title = "{who} at {n}"
[variables]
who = "pump"
n = 3
file = "a"
[recordings.x]
file = "{file}.csv"
[[steps]]
command = "inspect"
recording = "x"
channel = "{who}*"
)";
  CaseRead r = read(text);
  ASSERT_THAT(r.problems, IsEmpty());
  EXPECT_EQ(r.value.title, "pump at 3");
  EXPECT_THAT(r.value.steps[0].options, ElementsAre("--channel=pump*"));
  r = read(text, {{"file", "b"}, {"who", "fan"}});
  EXPECT_EQ(r.value.title, "fan at 3");
  EXPECT_THAT(r.value.steps[0].inputs, ElementsAre("b.csv"));
  r = read(text, {{"file", "nowhere"}});
  ASSERT_EQ(r.problems.size(), 1u);
  EXPECT_THAT(r.problems[0], HasSubstr("\"nowhere.csv\" is not there"));
}

TEST_F(CaseFile, SwitchesAreTrueOrFalse) {
  const auto options = [&](const std::string& value) {
    return read(
        "[recordings.x]\nfile = \"a.csv\"\n[[steps]]\ncommand = \"inspect\"\nrecording = \"x\"\nprimary = " +
        value + "\n");
  };
  EXPECT_THAT(options("true").value.steps[0].options, ElementsAre("--primary"));
  EXPECT_THAT(options("false").value.steps[0].options, IsEmpty());
  EXPECT_THAT(options("3").problems.at(0), HasSubstr("is a switch: true or false"));
  const CaseRead r = read(
      "[recordings.x]\nfile = \"a.csv\"\n[[steps]]\ncommand = \"inspect\"\nrecording = \"x\"\nrate = true\n");
  EXPECT_THAT(r.problems.at(0), HasSubstr("\"rate\" needs a value"));
}

TEST_F(CaseFile, WhatIsTakenFromOtherStepsComesBefore) {
  const CaseRead r = read(R"(
[[steps]]
name = "last"
command = "inspect"
inputs = ["{steps.first}/x.csv", "{steps.middle one}/y.csv"]
[[steps]]
name = "middle one"
command = "inspect"
inputs = ["{steps.first}/x.csv"]
[[steps]]
name = "first"
command = "generate"
inputs = ["u: tone 1Hz 1"]
rate = "10 Hz"
duration = "1 s"
)");
  ASSERT_THAT(r.problems, IsEmpty());
  std::vector<std::string> names;
  for (const CaseStep& s : r.value.steps) names.push_back(s.name);
  EXPECT_THAT(names, ElementsAre("first", "middle-one", "last"));
  EXPECT_THAT(r.value.steps[2].after, ElementsAre("first", "middle-one"));
  EXPECT_THAT(r.value.steps[2].inputs[0], HasSubstr("out/steps/first/x.csv"));
}

TEST_F(CaseFile, EverythingThatIsWrongIsToldWithItsPlace) {
  const std::pair<const char*, const char*> wrong[] = {
      {"recordings = 3\n", "c.toml:1:14: recordings must be tables"},
      {"[recordings.x]\n", "c.toml:1:1: recording \"x\" has no file"},
      {"[recordings]\nx = 3\n", "recording \"x\" must be a table"},
      {"steps = 3\n", "steps must be a list of tables: [[steps]]"},
      {"[[steps]]\nname = \"a\"\n", "a step without a command"},
      {"[[limits]]\ncommand = \"spectrum\"\n", "a command is only named in [[steps]]"},
      {"[[steps]]\ncommand = \"inspect\"\n", "inspect needs a recording, or inputs"},
      {"variables = 3\n", "variables must be a table"},
      {"[variables]\na = [1]\n", "a variable must be a text or a number"},
      {"report = 3\n", "report must be a table"},
      {"[report]\nhtml = 3\n", "html must be true or false"},
      {"[report]\nfindings = -2\n", "findings must be a whole number from 1"},
      {"[report]\nfigures = \"pgn\"\n", "did you mean \"png\""},
      {"[report]\nfinding = 2\n", "did you mean \"findings\""},
      {"title = [1]\n", "title must be a text"},
      {"suspects = \"nowhere.toml\"\n", "nowhere.toml"},
      {"concern = [[1]]\n", "concern must be a text, or a list of texts"},
      {"title = \"{steps.a}\"\n", "{steps.a} can only stand in a file's name"},
      {"[[steps]]\ncommand = \"inspect\"\ninputs = [\"{steps.nope}/a\"]\n", "unknown step \"nope\""},
      {"include = \"nowhere.toml\"\n", "can't be read"},
      {"[recordings.x]\nfile = \"a.csv\"\n[[steps]]\nname = \"s\"\ncommand = \"inspect\"\nrecording = "
       "\"x\"\n[[steps]]\nname = \"s\"\ncommand = \"inspect\"\nrecording = \"x\"\n",
       "another step is named \"s\" already"},
      {"", "no steps; add [[steps]]"}};
  for (const auto& [text, said] : wrong) {
    const CaseRead r = read(text);
    ASSERT_FALSE(r.problems.empty()) << text;
    EXPECT_THAT(r.problems, Contains(HasSubstr(said))) << text;
    EXPECT_THAT(r.problems[0], HasSubstr("c.toml")) << text;
  }
  EXPECT_THROW(read("a = ["), Error);
  EXPECT_THROW(read_case({folder_.path("nowhere.toml"), {}, "."}), Error);
}

TEST_F(CaseFile, SuspectsInTheCaseAreAFileOfTheirOwn) {
  const char* text = R"(
[recordings.x]
file = "a.csv"
[[suspect]]
name = "pump"
frequency = "50 Hz"
[[steps]]
command = "identify"
recording = "x"
)";
  const CaseRead r = read(text);
  ASSERT_THAT(r.problems, IsEmpty());
  EXPECT_THAT(r.value.line_up, HasSubstr("pump"));
  EXPECT_THAT(r.value.line_up, ::testing::Not(HasSubstr("recordings")));
  EXPECT_THAT(r.value.steps[0].options[0], HasSubstr("out/steps/suspects.toml"));
  EXPECT_THAT(read("[[suspect]]\nname = \"x\"\n").problems, Contains(HasSubstr("c.toml")));
}

TEST(StepText, IsTheTomlOfACommandLine) {
  EXPECT_EQ(step_text("spectrum", {"a b.csv"},
                      {{"channel", "x"},
                       {"span", "1..2"},
                       {"span", "3..4"},
                       {"overlay", ""},
                       {"out", "o"},
                       {"json", ""},
                       {"chain", "scale \"2\""}}),
            "[[steps]]\ncommand = \"spectrum\"\ninputs = [\"a b.csv\"]\nchannel = \"x\"\nspan = [\"1..2\", "
            "\"3..4\"]\noverlay = true\n"
            "chain = \"scale \\\"2\\\"\"\n");
}

}  // namespace
}  // namespace vprism::case_file_test
