// Options as data: parsing, errors that name the option, settings as resolved, help.
#include "frame/options.h"

#include <gmock/gmock.h>

#include "base/error.h"
#include "frame/analysis_options.h"
#include "frame/option_groups.h"

namespace vprism::options_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

struct Settings {
  std::string name;
  bool loud = false;
  std::size_t count = 1;
  std::optional<double> rate_hz;
  std::optional<Range> span;
  std::vector<OptionGroup> groups() {
    return {{"Group",
             {text_option("name", "NAME", "a name", name), switch_option("loud", "a switch", loud),
              count_option("count", "a number", 2, 1000, count),
              quantity_option("rate", "FREQUENCY", "a rate", Dimension::frequency, rate_hz),
              range_option("span", "a range", Dimension::frequency, span)}}};
  }
};

std::string error_of(const std::vector<std::string>& arguments) {
  Settings settings;
  try {
    parse_command_line(arguments, settings.groups());
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::usage);
    return error.what();
  }
  return "no error";
}

TEST(CommandLine, SetsOptionsInEitherSpellingAndLeavesInputs) {
  Settings s;
  const auto inputs = parse_command_line(
      {"a.csv", "--name", "x y", "--rate=2kHz", "--loud", "b.csv", "--count", "3", "--span", "1Hz..2Hz"},
      s.groups());
  EXPECT_THAT(inputs, ElementsAre("a.csv", "b.csv"));
  EXPECT_EQ(s.name, "x y");
  EXPECT_TRUE(s.loud);
  EXPECT_EQ(s.count, 3u);
  EXPECT_DOUBLE_EQ(*s.rate_hz, 2000);
  EXPECT_DOUBLE_EQ(*s.span->high, 2);
}

TEST(CommandLine, ValuesMayBeginWithAMinus) {
  Settings s;
  parse_command_line({"--name", "-1ms..2ms"}, s.groups());
  EXPECT_EQ(s.name, "-1ms..2ms");
}

TEST(CommandLine, ErrorsNameTheOption) {
  EXPECT_THAT(error_of({"--nam", "x"}), HasSubstr("did you mean \"--name\""));
  EXPECT_THAT(error_of({"--name"}), HasSubstr("--name needs a value: --name NAME"));
  EXPECT_THAT(error_of({"--name", "a", "--name", "b"}), HasSubstr("--name is given twice"));
  EXPECT_THAT(error_of({"--loud=1"}), HasSubstr("--loud takes no value"));
  EXPECT_THAT(error_of({"--count", "1"}), HasSubstr("--count: \"1\" must be at least 2"));
  EXPECT_THAT(error_of({"--rate", "5"}), HasSubstr("--rate: \"5\" has no unit"));
}

TEST(Settings, AreShownAsResolved) {
  Settings s;
  parse_command_line({"--rate", "2kHz", "--span", "..3kHz"}, s.groups());
  const Json shown = settings_json(s.groups());
  EXPECT_EQ(shown["rate"].get<double>(), 2000);
  EXPECT_TRUE(shown["span"][0].is_null());
  EXPECT_EQ(shown["span"][1].get<double>(), 3000);
  EXPECT_FALSE(shown["loud"].get<bool>());
}

TEST(Help, FoldsLongTextsUnderTheirColumn) {
  Settings s;
  std::vector<OptionGroup> groups = s.groups();
  groups[0].options[0].help = std::string(66, 'x') + " " + std::string(10, 'y');
  const std::string help = options_help(groups, true);
  EXPECT_THAT(help, HasSubstr("Group:\n  --name NAME"));
  EXPECT_THAT(help, HasSubstr("\n" + std::string(32, ' ') + "yyyyyyyyyy"));
}

TEST(Help, NamesSharedOptionsBehindTheCommandsOwn) {
  Settings s;
  std::vector<OptionGroup> groups = s.groups();
  groups.push_back(groups[0]);
  groups[0].title = "Common", groups[0].shared = true;
  const std::string help = options_help(groups, false), all = options_help(groups, true);
  EXPECT_LT(help.find("Group:\n  --name NAME"), help.find("Common, as with most commands"));
  EXPECT_THAT(help, HasSubstr("--help all"));
  EXPECT_THAT(all, HasSubstr("Common:\n  --name NAME"));
}

TEST(InputSettings, ChainIsCalibrationThenStepsThenGate) {
  InputSettings s;
  parse_command_line({"--gate", "1s..2s", "--chain", "scale 2 | invert", "--calibrate", "*: probe 10"},
                     {input_group(s)});
  std::vector<std::string> names;
  for (const auto& stage : s.make_chain()) names.push_back(stage->report().name);
  EXPECT_THAT(names, ElementsAre(::testing::_, "scale", "invert", ::testing::_));
  EXPECT_EQ(names.size(), 4u);
}

TEST(OutputSettings, JsonAloneWritesNoFiles) {
  OutputSettings s;
  const std::vector<OptionGroup> groups = {output_group(s)};
  EXPECT_TRUE(s.writes_files());
  parse_command_line({"--json"}, groups);
  EXPECT_FALSE(s.writes_files());
  parse_command_line({"--out", "x"}, groups);
  EXPECT_TRUE(s.writes_files());
  EXPECT_THROW(parse_command_line({"--figure", "jpg"}, groups), Error);
  EXPECT_THROW(parse_command_line({"--threads", "0"}, groups), Error);
  EXPECT_THROW(parse_command_line({"--progress", "maybe"}, groups), Error);
}

TEST(AnalysisSettings, EachMistakeIsAUsageError) {
  const std::vector<std::vector<std::string>> wrong = {
      {"--overlap", "96%"}, {"--overlap", "-1%"}, {"--scale", "volts"}, {"--db", "0"},
      {"--db", "x"},        {"--segment", "3"},   {"--peaks", "-1"},    {"--span", "2Hz..1Hz"}};
  for (const auto& arguments : wrong) {
    AnalysisSettings s;
    EXPECT_THROW(parse_command_line(arguments, {analysis_group(s)}), Error) << arguments[0] << arguments[1];
  }
}

}  // namespace
}  // namespace vprism::options_test
