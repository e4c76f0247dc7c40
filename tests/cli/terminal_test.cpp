// Help, completion and tables as a terminal and its shells get them.
#include <gmock/gmock.h>

#include <set>

#include "app/completion.h"
#include "app/help.h"
#include "app/manual.h"
#include "base/text.h"
#include "cli/run_program.h"

namespace vprism::terminal_test {
namespace {

using ::testing::Contains;
using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::Not;

std::vector<std::string> offered(const std::vector<std::string>& words) {
  std::vector<std::string> out;
  for (const std::string& line : split(completions(words), '\n'))
    if (!line.empty()) out.push_back(line.substr(0, line.find('\t')));
  return out;
}

TEST(CommandGroups, HaveEveryCommandOnce) {
  std::multiset<std::string> grouped, all;
  for (const CommandGroup& group : command_groups())
    grouped.insert(group.commands.begin(), group.commands.end());
  for (const CommandEntry& entry : command_table()) all.insert(entry.name);
  EXPECT_EQ(grouped, all);
}

TEST(Completion, KnowsEveryCommandAndOption) {
  for (const CommandEntry& entry : command_table()) {
    EXPECT_THAT(offered({""}), Contains(entry.name));
    for (const OptionGroup& group : entry.make()->options())
      for (const Option& option : group.options)
        EXPECT_THAT(offered({entry.name, "--" + option.name}), Contains("--" + option.name)) << entry.name;
  }
  EXPECT_THAT(offered({"spectrum", "--figure", ""}), Contains("svg"));
  EXPECT_THAT(offered({"spectr"}), ElementsAre("spectrum", "spectrogram"));
  EXPECT_THAT(offered({"help", "win"}), ElementsAre("windows"));
  EXPECT_THROW(completion_script("fish-and-chips"), Error);
}

TEST(Completion, LooksIntoTheFilesNamed) {
  const ScratchFolder folder;
  folder.write("a.csv", "time (s),mirror cell (m/s^2),mast (m/s^2)\n0,1,2\n0.1,2,3\n0.2,1,2\n");
  folder.write("who.toml", "[[suspect]]\nname = \"cooling pump\"\nrate = \"24.9Hz\"\n");
  EXPECT_THAT(offered({"spectrum", folder.path("a.csv"), "--channel", "m"}),
              ElementsAre("mirror cell", "mast"));
  EXPECT_THAT(offered({"spectrum", folder.path("a.csv"), "--channel", "'mir"}), ElementsAre("mirror cell"));
  EXPECT_THAT(offered({"response", folder.path("a.csv"), "--reference", "ma"}), ElementsAre("mast"));
  EXPECT_THAT(offered({"spectrum", folder.path("none.csv"), "--channel", ""}), ElementsAre());
  EXPECT_THAT(offered({"spectrum", folder.path("a.csv"), "--window", "hann,fl"}),
              ElementsAre("hann,flat-top", "hann,flat-top-narrow"));
  EXPECT_THAT(offered({"spectrum", folder.path("a.csv"), "--chain", "'detrend | lowp"}),
              ElementsAre("detrend | lowpass"));
  EXPECT_THAT(offered({"spectrum", ""}), ElementsAre());  // Files: the shell knows those.
}

TEST(Completion, NamesSuspectsOfTheLineUp) {
  const ScratchFolder folder;
  folder.write("who.toml",
               "[[suspect]]\nname = \"cooling pump\"\nrate = \"24.9Hz\"\n[[suspect]]\nname = \"fan\"\n");
  EXPECT_THAT(offered({"rebuild", "--suspects", folder.path("who.toml"), "--without", "fan,co"}),
              ElementsAre("fan,cooling pump"));
}

TEST(Completion, GoesOnBehindBatch) {
  EXPECT_THAT(offered({"batch", "spectrogr"}), ElementsAre("spectrogram"));
  EXPECT_THAT(offered({"batch", "spectrum", "--resol"}), ElementsAre("--resolution"));
  EXPECT_THAT(offered({"batch", "spectrum", "--tre"}), ElementsAre("--trend"));
}

/// The program by its name alone, as shells call it.
std::string with_path(const ScratchFolder& folder) {
  std::filesystem::create_symlink(tested_program(), folder.path("vprism"));
  folder.write("a.csv", "time (s),mirror cell (m/s^2),mast (m/s^2)\n0,1,2\n0.1,2,3\n0.2,1,2\n");
  return "cd '" + folder.path() + "' && PATH=\"$PWD:$PATH\" HOME=\"$PWD\" ";
}

TEST(Completion, WorksInBash) {
  const ScratchFolder folder;
  folder.write("ask.sh",
               "source <(vprism --completion bash)\n"
               "ask() { COMP_WORDS=(\"$@\"); COMP_CWORD=$(($# - 1)); _vprism; printf '%s;' "
               "\"${COMPREPLY[@]}\"; echo; }\n"
               "ask vprism spectr\nask vprism spectrum a.csv --channel m\nask vprism spectrum a.csv "
               "--channel \"'mi\"\n");
  const ProgramRun run = run_printed(folder, with_path(folder) + "bash ask.sh > .out 2> .err");
  EXPECT_EQ(run.out, "spectrum;spectrogram;\n'mirror cell';mast;\nmirror cell;\n") << run.err;
}

TEST(Completion, WorksInZsh) {
  if (std::system("command -v zsh > /dev/null 2>&1") != 0) GTEST_SKIP() << "no zsh";
  const ScratchFolder folder;
  folder.write("ask.zsh",
               "compadd() { print -r -- ${(j:;:)offers} }\n_files() { print files }\n"
               "ask() { words=(\"$@\"); CURRENT=$#; source <(vprism --completion zsh) }\n"
               "ask vprism spectr\nask vprism spectrum a.csv --channel mi\nask vprism spectrum ''\n");
  const ProgramRun run = run_printed(folder, with_path(folder) + "zsh -f ask.zsh > .out 2> .err");
  EXPECT_EQ(run.out, "spectrum;spectrogram\nmirror cell\nfiles\n") << run.err;
}

TEST(Completion, WorksInFish) {
  if (std::system("command -v fish > /dev/null 2>&1") != 0) GTEST_SKIP() << "no fish";
  const ScratchFolder folder;
  folder.write("ask.fish",
               "vprism --completion fish | source\ncomplete -C 'vprism spectr'\n"
               "complete -C 'vprism spectrum a.csv --channel mi'\n");
  const ProgramRun run = run_printed(folder, with_path(folder) + "fish --no-config ask.fish > .out 2> .err");
  EXPECT_THAT(run.out, HasSubstr("spectrum\t")) << run.err;
  EXPECT_THAT(run.out, HasSubstr("spectrogram\t")) << run.err;
  EXPECT_THAT(run.out, HasSubstr("mirror")) << run.err;
}

TEST(Manual, HasAPageForEveryTopic) {
  for (const std::string& topic : split(topic_list(), '\n'))
    if (!topic.empty()) {
      const std::string page = manual_page(topic);
      EXPECT_THAT(page, HasSubstr(".TH VPRISM-")) << topic;
      EXPECT_THAT(page, HasSubstr(" 7 \"\"")) << topic;
      if (topic == "windows") {
        EXPECT_THAT(page, HasSubstr("hann"));
      }
    }
}

/// What a terminal of that width gets.
std::string on_terminal(const ScratchFolder& folder, int columns, const std::string& arguments,
                        const std::string& settings = "TERM=xterm") {
  folder.write("run.sh", "stty cols " + std::to_string(columns) + " rows 50\n" + settings + " '" +
                             tested_program() + "' " + arguments + "\n");
  std::string out =
      run_printed(folder, "cd '" + folder.path() +
                              "' && script -qec 'sh run.sh' /dev/null > .out 2> .err < /dev/null")
          .out;
  std::erase(out, '\r');
  return out;
}

std::size_t widest_line(const std::string& text) {
  std::size_t widest = 0;
  for (const std::string& line : split(text, '\n')) widest = std::max(widest, display_width(line));
  return widest;
}

TEST(Terminal, IsNotWrittenBeyond) {
  const ScratchFolder folder;
  const std::string file = std::string(VPRISM_SOURCE) + "/demo/data/drive-scope.csv";
  for (const int columns : {80, 100})
    for (const std::string& what :
         {"spectrum " + file + " --figure none", "inspect " + file + " --figure none",
          std::string("spectrum --help"), std::string("help"), std::string("help windows")}) {
      const std::string out = on_terminal(folder, columns, what, "TERM=dumb");
      EXPECT_LE(widest_line(out), static_cast<std::size_t>(columns)) << out;
      EXPECT_GT(out.size(), 400U) << out;
    }
}

TEST(Terminal, HasColoursUnlessTheyAreNotWanted) {
  const ScratchFolder folder;
  folder.write("a.csv", "t (s),x (V)\n0,1\n0.1,2\n0.2,1\n0.3,2\n0.4,nan\n0.5,2\n");
  const std::string what = "spectrum none.csv";
  EXPECT_THAT(on_terminal(folder, 80, what), HasSubstr("\033[1;31mvprism:\033[0m none.csv"));
  EXPECT_THAT(on_terminal(folder, 80, what, "TERM=xterm NO_COLOR=1"), Not(HasSubstr("\033")));
  EXPECT_THAT(on_terminal(folder, 80, what, "TERM=dumb"), Not(HasSubstr("\033")));
  EXPECT_THAT(run_program(folder, what).err, Not(HasSubstr("\033")));
}

}  // namespace
}  // namespace vprism::terminal_test
