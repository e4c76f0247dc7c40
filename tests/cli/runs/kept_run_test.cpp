// Digests, names of folders, man pages, completion: what cases and packages stand on.
#include "runner/kept/kept_run.h"

#include <gmock/gmock.h>

#include <atomic>
#include <chrono>
#include <mutex>
#include <set>
#include <thread>

#include "app/manual.h"
#include "app/revision.h"
#include "formats/scratch_folder.h"
#include "frame/command.h"
#include "runner/case_run.h"

namespace vprism::kept_run_test {
namespace {

namespace fs = std::filesystem;
using ::testing::HasSubstr;
using ::testing::Not;

TEST(DigestBook, FollowsWhatAFileHoldsAndWhatBelongsToIt) {
  const ScratchFolder folder;
  const std::string path = folder.write("a.sigmf-meta", "{}");
  folder.write("a.sigmf-data", "1234");
  folder.write("b.csv", "other");
  const auto of = [&] { return DigestBook("").of(path); };
  const std::string before = of();
  EXPECT_EQ(of(), before);
  folder.write("b.csv", "changed");
  EXPECT_EQ(of(), before);
  folder.write("a.sigmf-data", "1235");  // The half that holds the samples.
  EXPECT_NE(of(), before);
  EXPECT_EQ(DigestBook("").of(folder.path("nowhere")), "missing");
}

TEST(DigestBook, OfAFolderIsThatOfAllFilesInIt) {
  const ScratchFolder folder;
  fs::create_directory(folder.path("f"));
  folder.write("f/1.csv", "x");
  const std::string one = DigestBook("").of(folder.path("f"));
  folder.write("f/2.csv", "y");
  EXPECT_NE(DigestBook("").of(folder.path("f")), one);
  fs::remove(folder.path("f/2.csv"));
  EXPECT_EQ(DigestBook("").of(folder.path("f")), one);
}

TEST(DigestBook, RemembersOldFilesByWhatTellsThemApart) {
  const ScratchFolder folder;
  const std::string path = folder.write("a.csv", "1,2");
  const auto old = fs::file_time_type::clock::now() - std::chrono::hours(1);
  fs::last_write_time(path, old);
  std::string first;
  {
    DigestBook book(folder.path("digests.json"));
    first = book.of(path);
    book.save();
  }
  EXPECT_EQ(DigestBook(folder.path("digests.json")).of(path), first);
  // Another file of the same size and time of change is not taken for it.
  folder.write("a.csv", "3,4");
  fs::last_write_time(path, old);
  EXPECT_NE(DigestBook(folder.path("digests.json")).of(path), first);
  // What can't be read is not believed.
  for (const char* broken :
       {"nonsense", "[]", "{\"x\": 3}", "{\"x\": [1, 2]}", "{\"x\": [\"a\", 2, \"c\"]}"}) {
    folder.write("digests.json", broken);
    EXPECT_NO_THROW(DigestBook(folder.path("digests.json")).of(path)) << broken;
  }
}

TEST(DigestBook, ManyMayAskForTheSameFileAtOnce) {
  const ScratchFolder folder;
  const std::string path = folder.write("big.bin", std::string(8 << 20, 'x'));
  const std::string expected = DigestBook("").of(path);
  DigestBook book("");
  run_side_by_side(
      8, 4, [](std::size_t) { return true; }, [&](std::size_t) { EXPECT_EQ(book.of(path), expected); });
}

TEST(DigestBook, AFileOfThisMomentIsNotRemembered) {
  const ScratchFolder folder;
  const std::string path = folder.write("a.csv", "1,2");
  {
    DigestBook book(folder.path("digests.json"));
    book.of(path);
    book.save();
  }
  EXPECT_EQ(ScratchFolder::read(folder.path("digests.json")), "{}");
}

TEST(RunKey, ChangesWithEverythingThatAResultStandsOn) {
  const ScratchFolder folder;
  folder.write("a.csv", "1");
  folder.write("limit.csv", "2");
  KeptPlace place;
  place.working = folder.path();
  const KeptRun base{"n", "limits", {"a.csv"}, {"--limit=limit.csv"}, {"limit.csv"}, {"k"}};
  const auto key = [&](const KeptRun& run) {
    DigestBook digests("");
    return run_key(run, place, digests);
  };
  std::set<std::string> keys = {key(base)};
  KeptRun other = base;
  other.command = "spectrum";
  keys.insert(key(other));
  other = base, other.options.push_back("--peaks=3");
  keys.insert(key(other));
  other = base, other.keys = {"l"};
  keys.insert(key(other));
  other = base, other.inputs.push_back("limit.csv");
  keys.insert(key(other));
  folder.write("limit.csv", "3");
  keys.insert(key(base));
  folder.write("a.csv", "9");
  keys.insert(key(base));
  place.picture = Picture::svg;
  keys.insert(key(base));
  EXPECT_EQ(keys.size(), 8u);
  // The name alone changes nothing.
  other = base, other.name = "m";
  EXPECT_EQ(key(other), key(base));
}

TEST(FolderName, IsPlainAndDistinct) {
  EXPECT_EQ(folder_name("mount lines"), "mount-lines");
  EXPECT_EQ(folder_name("../../etc/passwd").find('/'), std::string::npos);
  EXPECT_EQ(folder_name("a", {"a", "a-2"}), "a-3");
  EXPECT_FALSE(folder_name("").empty());
  EXPECT_LE(folder_name(std::string(500, 'x')).size(), 100u);
}

TEST(KeptFolder, TakesAwayWhatIsUnfinishedAndWhatTheDeadLeftBehind) {
  const ScratchFolder folder;
  char host[256] = "";
  ::gethostname(host, sizeof host - 1);
  const std::string dead = folder.path(std::string("all/.vprism-part-999999999-1-77@") + host);
  fs::create_directories(dead + "/x");
  fs::create_directories(folder.path("all/.vprism-part-other/x"));
  fs::path unfinished;
  {
    const KeptFolder kept(folder.path("all"));
    unfinished = kept.unfinished();
    EXPECT_TRUE(fs::exists(unfinished));
    EXPECT_FALSE(fs::exists(dead));
    // Not of our making.
    EXPECT_TRUE(fs::exists(folder.path("all/.vprism-part-other")));
    const KeptFolder second(folder.path("all"));
    EXPECT_NE(second.unfinished(), unfinished);
  }
  EXPECT_FALSE(fs::exists(unfinished));
  folder.write("file", "x");
  EXPECT_THROW(KeptFolder(folder.path("file/inside")), Error);
}

TEST(SideBySide, WaitsForWhatMustComeBeforeAndRunsEachOnce) {
  std::mutex lock;
  std::vector<bool> ended(20, false);
  std::vector<int> count(20, 0);
  run_side_by_side(
      20, 4,
      [&](std::size_t i) {
        const std::lock_guard guard(lock);
        return i % 5 == 0 || ended[i - 1];
      },
      [&](std::size_t i) {
        const std::lock_guard guard(lock);
        EXPECT_TRUE(i % 5 == 0 || ended[i - 1]);
        ++count[i];
        ended[i] = true;
      });
  for (const int n : count) EXPECT_EQ(n, 1);
}

TEST(SideBySide, TheFirstFailureStopsTheRestAndIsThrown) {
  const auto done_with = [](std::size_t threads) {
    std::atomic<int> done = 0;
    EXPECT_THROW(run_side_by_side(
                     100, threads, [](std::size_t) { return true; },
                     [&](std::size_t i) {
                       if (i == 3) throw Error(Status::output, "full");
                       // The thread that failed may be held up before it can say so.
                       std::this_thread::sleep_for(std::chrono::milliseconds(threads > 1 ? 10 : 0));
                       ++done;
                     }),
                 Error);
    return done.load();
  };
  EXPECT_EQ(done_with(1), 3);
  EXPECT_LT(done_with(2), 99);
  // What nothing makes ready is left.
  run_side_by_side(
      3, 2, [](std::size_t i) { return i != 1; }, [](std::size_t i) { EXPECT_NE(i, 1u); });
}

TEST(Manual, EveryCommandHasAPageWithItsOptions) {
  for (const CommandEntry& entry : command_table()) {
    const std::string page = manual_page(entry.name);
    EXPECT_EQ(page.rfind(".TH VPRISM-", 0), 0u);
    for (const OptionGroup& group : entry.make()->options())
      for (const Option& option : group.options) {
        std::string name = "\\-\\-" + option.name;
        for (std::size_t at = 4; (at = name.find('-', at)) != std::string::npos; at += 2)
          name.replace(at, 1, "\\-");
        EXPECT_THAT(page, HasSubstr(".B " + name)) << entry.name;
      }
    EXPECT_THAT(manual_page(""), HasSubstr("vprism\\-" + std::string(entry.name)));
    EXPECT_THAT(command_list(), HasSubstr(std::string(entry.name) + "\n"));
  }
  EXPECT_THROW(manual_page("spektrum"), Error);
}

TEST(Manual, NoLineOfTextIsTakenForARequest) {
  for (const CommandEntry& entry : command_table()) {
    std::istringstream lines(manual_page(entry.name));
    for (std::string line; std::getline(lines, line);) {
      if (line.empty() || line.front() != '.') continue;
      const std::string word = line.substr(0, line.find(' '));
      EXPECT_TRUE(word == ".TH" || word == ".SH" || word == ".SS" || word == ".TP" || word == ".B" ||
                  word == ".BR" || word == ".EX" || word == ".EE" || word == ".PP")
          << line;
    }
  }
}

TEST(Version, NamesTheLibraries) {
  for (const char* library : {"FFTW 3.", "Eigen 3.", "HDF5 1.", "Boost 1.", "libsndfile 1."})
    EXPECT_THAT(version_text(), HasSubstr(library));
  EXPECT_THAT(version_text(), Not(HasSubstr(", ,")));
}

TEST(Version, NamesTheRevisionThatItWasBuiltFrom) {
  // A source without its history has none.
  if (source_revision().empty()) GTEST_SKIP();
  EXPECT_THAT(source_revision(), ::testing::MatchesRegex("[0-9a-f]{12}[+]?"));
  EXPECT_THAT(version_text(), HasSubstr(", revision " + source_revision() + "\n"));
}

}  // namespace
}  // namespace vprism::kept_run_test
