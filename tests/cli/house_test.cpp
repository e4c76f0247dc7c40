// The house itself: no include runs backward on the road, no name of a seed or a machine's path has slipped
// in.
#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <set>
#include <sstream>

#include "cli/run_program.h"
#include "frame/command.h"

namespace vprism::house_test {
namespace {

namespace fs = std::filesystem;

const std::map<std::string, std::set<std::string>>& allowed() {
  static const std::map<std::string, std::set<std::string>> table = [] {
    std::map<std::string, std::set<std::string>> t;
    t["base"] = {"base"};
    t["signal"] = {"base", "signal"};
    t["formats"] = {"base", "signal", "formats"};
    t["containers"] = {"base", "signal", "formats", "containers"};
    t["ranks"] = {"base", "ranks"};
    t["condition"] = {"base", "signal", "condition"};
    t["generate"] = {"base", "signal", "condition", "generate"};
    t["transform"] = {"base", "signal", "condition", "transform"};
    t["identify"] = {"base", "signal", "condition", "transform", "identify"};
    t["field"] = t["identify"];
    t["field"].insert("field");
    t["render"] = {"base", "signal", "formats", "condition", "transform", "identify", "field", "render"};
    t["frame"] = t["render"];
    t["frame"].insert({"frame", "generate"});
    std::string below = "frame";
    for (const char* folder : {"commands", "runner", "app"}) {
      t[folder] = t[below];
      t[folder].insert(folder);
      below = folder;
    }
    return t;
  }();
  return table;
}

/// What the files of each folder include of others.
std::map<std::string, std::set<std::string>> includes_of_folders() {
  std::map<std::string, std::set<std::string>> out;
  const fs::path top = VPRISM_SOURCE "/src";
  for (const auto& entry : fs::recursive_directory_iterator(top)) {
    const std::string kind = entry.path().extension();
    if (!entry.is_regular_file() || (kind != ".cpp" && kind != ".h")) continue;
    const std::string folder = entry.path().parent_path().lexically_relative(top);
    std::istringstream lines(ScratchFolder::read(entry.path()));
    for (std::string line; std::getline(lines, line);) {
      const std::string head = "#include \"";
      if (line.rfind(head, 0) != 0) continue;
      const std::string other = fs::path(line.substr(head.size())).parent_path();
      if (!other.empty() && other != folder) out[folder].insert(other);  // The demo's maker has no folder.
    }
  }
  return out;
}

TEST(House, NoIncludeRunsBackward) {
  int seen = 0;
  for (const auto& [folder, others] : includes_of_folders()) {
    const std::string top = *fs::path(folder).begin();
    ASSERT_TRUE(allowed().contains(top)) << folder << " is not on the road";
    for (const std::string& other : others) {
      ++seen;
      EXPECT_TRUE(allowed().at(top).contains(*fs::path(other).begin())) << folder << " includes " << other;
    }
  }
  EXPECT_GT(seen, 100);
}

// But for formats, whose readers find each other by the table of formats, and two pairs of folders.
TEST(House, NoFoldersIncludeEachOther) {
  const std::set<std::string> apart = {"formats", "base", "containers"};
  auto folders = includes_of_folders();
  for (std::size_t left = folders.size() + 1; left != folders.size();) {
    left = folders.size();
    std::erase_if(folders, [&](const auto& folder) {
      return std::none_of(folder.second.begin(), folder.second.end(), [&](const std::string& other) {
        return folders.contains(other) && !apart.contains(*fs::path(other).begin());
      });
    });
  }
  for (const auto& folder : folders) ADD_FAILURE() << folder.first << " is part of a circle";
}

TEST(House, FoldersAndFilesAreSmall) {
  std::map<std::string, int> files;
  for (const auto& entry : fs::recursive_directory_iterator(VPRISM_SOURCE "/src")) {
    if (!entry.is_regular_file()) continue;
    ++files[entry.path().parent_path()];
    const std::string text = ScratchFolder::read(entry.path());
    EXPECT_LE(std::count(text.begin(), text.end(), '\n'), 400) << entry.path();
  }
  for (const auto& [folder, count] : files) EXPECT_LE(count, 25) << folder;
}

TEST(House, EveryFileOpensBySayingWhatItIs) {
  for (const char* top : {"/src", "/tests", "/demo", "/bench"}) {
    for (const auto& entry : fs::recursive_directory_iterator(std::string(VPRISM_SOURCE) + top)) {
      const std::string kind = entry.path().extension();
      if (kind != ".cpp" && kind != ".h") continue;
      EXPECT_EQ(ScratchFolder::read(entry.path()).substr(0, 3), "// ") << entry.path();
    }
  }
}

TEST(House, EveryExampleInTheHelpRunsOnTheDemoData) {
  const ScratchFolder folder;
  int ran = 0;
  for (const CommandEntry& entry : command_table()) {
    std::string example = entry.example;
    // These two run the whole case of the demo; tests/cli/runs/demo_test.cpp does.
    if (example.rfind("vprism demo", 0) == 0 || example.rfind("vprism case", 0) == 0) continue;
    example.erase(0, std::string("vprism ").size());
    for (std::size_t at; (at = example.find("tern-point/")) != std::string::npos;)
      example.replace(at, std::string("tern-point").size(), VPRISM_SOURCE "/demo/data");
    for (std::size_t at; (at = example.find("vprism-out/")) != std::string::npos;)
      example.replace(at, std::string("vprism-out").size(), "o");
    const ProgramRun run = run_program(folder, example + " --figure none --force --out o");
    // A limit that is exceeded is an answer too.
    EXPECT_TRUE(run.status == 0 || (run.status == 1 && run.err.find("vprism:") == std::string::npos))
        << example << ": " << run.err;
    ++ran;
  }
  EXPECT_GE(ran, 11);
}

TEST(House, NoCommandHasTwoOptionsOfOneName) {
  for (const CommandEntry& entry : command_table()) {
    const std::unique_ptr<Task> task = entry.make();
    std::vector<std::string> names;
    for (const OptionGroup& group : task->options())
      for (const Option& option : group.options) names.push_back(option.name);
    std::sort(names.begin(), names.end());
    const auto twice = std::adjacent_find(names.begin(), names.end());
    EXPECT_EQ(twice, names.end()) << entry.name << ": --" << *twice;
  }
}

TEST(House, EveryScreenshotIsLinkedFromTheReadme) {
  const std::string readme = ScratchFolder::read(VPRISM_SOURCE "/README.md");
  int count = 0;
  for (const auto& entry : fs::directory_iterator(VPRISM_SOURCE "/docs/screenshots")) {
    ++count;
    EXPECT_NE(readme.find("docs/screenshots/" + entry.path().filename().string()), std::string::npos)
        << entry;
  }
  EXPECT_LT(count, 20);
}

/// What "#a-heading" may be in a page: small letters and digits, blanks as dashes, all other marks left out.
std::set<std::string> anchors_of(const std::string& page) {
  std::set<std::string> out;
  std::istringstream lines(page);
  for (std::string line; std::getline(lines, line);) {
    if (line.empty() || line[0] != '#') continue;
    std::string anchor;
    for (const char c : line.substr(std::min(line.find_first_not_of("# "), line.size()))) {
      if (c == ' ' || c == '-') anchor += '-';
      if ((c | 32) >= 'a' && (c | 32) <= 'z') anchor += static_cast<char>(c | 32);
      if ((c >= '0' && c <= '9') || c == '_' || (c & 0x80) != 0) anchor += c;
    }
    out.insert(anchor);
  }
  return out;
}

TEST(House, LinksInTheDocsLeadSomewhere) {
  for (const char* page : {"README.md", "CONTRIBUTING.md", "docs/guide.md", "docs/formats.md",
                           "docs/numerics.md", "docs/results.md"}) {
    const fs::path path = fs::path(VPRISM_SOURCE) / page;
    const std::string text = ScratchFolder::read(path);
    for (std::size_t at = 0; (at = text.find("](", at)) != std::string::npos; ++at) {
      const std::string link = text.substr(at + 2, text.find(')', at) - at - 2);
      const std::string target = link.substr(0, link.find('#'));
      const fs::path file = target.empty() ? path : path.parent_path() / target;
      EXPECT_TRUE(fs::exists(file)) << page << ": " << link;
      if (link.find('#') != std::string::npos && file.extension() == ".md") {
        EXPECT_EQ(anchors_of(ScratchFolder::read(file)).count(link.substr(link.find('#') + 1)), 1u)
            << page << ": " << link;
      }
    }
  }
}

TEST(House, EveryLayoutOfTheCorpusIsInTheTable) {
  const std::string page = ScratchFolder::read(VPRISM_SOURCE "/docs/formats.md");
  for (const auto& entry : fs::directory_iterator(VPRISM_SOURCE "/tests/data/layouts"))
    if (entry.path().extension() == ".understood") {
      EXPECT_NE(page.find("| `" + entry.path().stem().string() + "` |"), std::string::npos) << entry;
    }
}

}  // namespace
}  // namespace vprism::house_test
