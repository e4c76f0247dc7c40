// Case files: what is wrong with them, what is redone, what is left when something breaks.
#include <gmock/gmock.h>
#include <signal.h>

#include <chrono>
#include <cmath>
#include <thread>

#include "cli/run_program.h"

namespace vprism::case_test {
namespace {

namespace fs = std::filesystem;
using ::testing::HasSubstr;
using ::testing::Not;

/// Two tones in a little deterministic noise, 2 s at 1 kHz.
std::string tones(double a, double b) {
  std::string text = "time (s),body (m/s^2)\n";
  unsigned state = 1;
  for (int n = 0; n < 2000; ++n) {
    state = state * 1664525u + 1013904223u;
    const double t = n * 1e-3, noise = 1e-3 * (static_cast<double>(state >> 8) / 8388608.0 - 1);
    text += std::to_string(t) + "," +
            std::to_string(a * std::cos(2 * M_PI * 50.25 * t) + b * std::cos(2 * M_PI * 120.5 * t) + noise) +
            "\n";
  }
  return text;
}

constexpr const char* small_case = R"(title = "Which machine?"
concern = ["body"]

[variables]
what = "body"

[recordings.one]
file = "one.csv"

[[suspect]]
name = "pump"
frequency = "50.25 Hz"

[[suspect]]
name = "fan"
frequency = "120.5 Hz"

[[suspect]]
name = "clock"
frequency = "200 Hz"

[[steps]]
name = "who"
command = "identify"
recording = "one"
channel = "{what}"

[[steps]]
name = "how strong"
command = "spectrum"
recording = "one"
resolution = "2 Hz"

[[limits]]
name = "bound"
recording = "one"
limit = "limit.csv"
)";

void write_small(const ScratchFolder& folder) {
  folder.write("one.csv", tones(1, 0.2));
  folder.write("limit.csv", "frequency (Hz),bound (m/s^2)\n1,0.5\n400,0.5\n");
  folder.write("a.toml", small_case);
}

nlohmann::json case_document(const ScratchFolder& folder, const std::string& out = "out") {
  return nlohmann::json::parse(ScratchFolder::read(folder.path(out + "/case.json")));
}

TEST(Case, NamesTheCulpritJudgesTheLimitAndWritesOneReport) {
  const ScratchFolder folder;
  write_small(folder);
  const ProgramRun run = run_program(folder, "case a.toml --out out --quiet");
  EXPECT_EQ(run.status, 1) << run.err;  // 0.707 m/s^2 RMS stands above 0.5.
  const auto d = case_document(folder);
  EXPECT_EQ(text_of(d["answer"]["culprits"][0]["suspect"]), "pump");
  EXPECT_NEAR(number_of(d["answer"]["culprits"][0]["level"]), std::sqrt(0.5), 1e-3);
  EXPECT_NEAR(number_of(d["answer"]["culprits"][0]["share_percent"]), 100 / 1.04, 0.1);
  EXPECT_EQ(text_of(d["answer"]["culprits"][1]["suspect"]), "fan");
  EXPECT_NEAR(number_of(d["answer"]["limits"][0]["margin_db"]), 20 * std::log10(0.5 / std::sqrt(0.5)), 0.05);
  EXPECT_EQ(text_of(d["answer"]["limits"][0]["suspect"]), "pump");
  EXPECT_THAT(run.out, HasSubstr("Cleared: clock"));
  for (const char* name :
       {"report.html", "report.md", "figures.pdf", "steps/who/document.json", "steps/how-strong/run.json"})
    EXPECT_TRUE(fs::exists(folder.path(std::string("out/") + name))) << name;
  EXPECT_EQ(ScratchFolder::read(folder.path("out/figures.pdf")).substr(0, 5), "%PDF-");
  for (const auto& entry : fs::directory_iterator(folder.path("out/steps")))
    EXPECT_NE(entry.path().filename().string().rfind(".vprism", 0), 0u) << entry.path();
}

TEST(Case, RedoesOnlyWhatHasChanged) {
  const ScratchFolder folder;
  write_small(folder);
  EXPECT_EQ(run_program(folder, "case a.toml --out out --quiet --figure none").status, 1);
  ProgramRun run = run_program(folder, "case a.toml --out out --quiet --figure none");
  EXPECT_THAT(run.out, HasSubstr("identify  done (kept from before)"));
  EXPECT_THAT(run.out, HasSubstr("spectrum  done (kept from before)"));
  // Another option of one step.
  std::string text = small_case;
  text.replace(text.find("2 Hz"), 4, "4 Hz");
  folder.write("a.toml", text);
  run = run_program(folder, "case a.toml --out out --quiet --figure none");
  EXPECT_THAT(run.out, HasSubstr("identify  done (kept from before)"));
  EXPECT_THAT(run.out, HasSubstr("spectrum  done\n"));
  // A file that an option names.
  folder.write("limit.csv", "frequency (Hz),bound (m/s^2)\n1,0.9\n400,0.9\n");
  run = run_program(folder, "case a.toml --out out --quiet --figure none");
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("spectrum  done (kept from before)"));
  EXPECT_THAT(run.out, HasSubstr("limits    done\n"));
  // The recording: all of it.
  folder.write("one.csv", tones(0.1, 0.2));
  run = run_program(folder, "case a.toml --out out --quiet --figure none");
  EXPECT_THAT(run.out, Not(HasSubstr("kept")));
  EXPECT_EQ(text_of(case_document(folder)["answer"]["culprits"][0]["suspect"]), "fan");
  EXPECT_THAT(run_program(folder, "case a.toml --out out --quiet --figure none --fresh").out,
              Not(HasSubstr("kept")));
}

TEST(Case, CheckTellsEveryErrorWithItsLineAndTheNearestName) {
  const ScratchFolder folder;
  write_small(folder);
  folder.write("bad.toml", R"(titel = "x"
[recordings.one]
file = "nowhere.csv"
rate = "fast"
[[steps]]
command = "spektrum"
recording = "one"
[[steps]]
command = "spectrum"
recording = "on"
windwo = "hann"
[[steps]]
command = "spectrum"
recording = "one"
window = "hanning"
out = "x"
[[steps]]
command = "spectrum"
name = "a"
inputs = ["{wat}"]
[[steps]]
command = "demo"
)");
  const ProgramRun run = run_program(folder, "case bad.toml --check");
  EXPECT_EQ(run.status, 2);
  for (const char* said :
       {"bad.toml:1:9: unknown key \"titel\"; did you mean \"title\"?",
        "bad.toml:3:8: \"nowhere.csv\" is not there",
        "bad.toml:4:8: rate:", "bad.toml:6:11: unknown command \"spektrum\"; did you mean \"spectrum\"?",
        "bad.toml:10:13: unknown recording \"on\"; did you mean \"one\"?",
        "bad.toml:11:10: unknown key \"windwo\"; did you mean \"window\"?",
        "bad.toml:15:10: window: unknown window \"hanning\"; did you mean \"hann\"?",
        "bad.toml:16:7: \"out\" is given by the case itself", "bad.toml:20:11: unknown variable \"wat\"",
        "bad.toml:22:11: \"demo\" can't be a step"})
    EXPECT_THAT(run.err, HasSubstr(said));
  EXPECT_FALSE(fs::exists(folder.path("vprism-out")));
  EXPECT_EQ(run_program(folder, "case a.toml --check").status, 0);
  folder.write("broken.toml", "a = [1,\n");
  EXPECT_THAT(error_line(folder, "case broken.toml", 2), HasSubstr("broken.toml:1:9"));
  EXPECT_THAT(error_line(folder, "case nowhere.toml", 3), HasSubstr("nowhere.toml"));
}

TEST(Case, IncludesVariablesAndStepsThatTakeFromOthers) {
  const ScratchFolder folder;
  write_small(folder);
  folder.write("common.toml", "[variables]\nlow = \"85 Hz\"\n[recordings.one]\nfile = \"one.csv\"\n");
  folder.write("b.toml", R"(include = "common.toml"
[recordings.quiet]
file = "{steps.without hum}/one.csv"
[[steps]]
name = "after"
command = "inspect"
recording = "quiet"
[[steps]]
name = "without hum"
command = "convert"
recording = "one"
chain = "highpass {low} order 6 zero-phase"
to = "csv"
)");
  ProgramRun run = run_program(folder, "case b.toml --out out --quiet --figure none");
  ASSERT_EQ(run.status, 0) << run.err;
  auto after = nlohmann::json::parse(ScratchFolder::read(folder.path("out/steps/after/document.json")));
  // The tone at 120.5 Hz is left: 0.2 / sqrt 2.
  EXPECT_NEAR(number_of(after["results"][0]["rms"]), 0.2 / std::sqrt(2), 0.01);
  // The command line's value counts; what follows from it is done again.
  run = run_program(folder, "case b.toml --out out --quiet --figure none --set 'low=10 Hz'");
  ASSERT_EQ(run.status, 0) << run.err;
  after = nlohmann::json::parse(ScratchFolder::read(folder.path("out/steps/after/document.json")));
  EXPECT_NEAR(number_of(after["results"][0]["rms"]), std::sqrt(0.52), 0.01);
  folder.write("c.toml", "include = \"c.toml\"\n");
  EXPECT_THAT(run_program(folder, "case c.toml").err, HasSubstr("includes this file again"));
  folder.write(
      "d.toml",
      "[[steps]]\nname = \"x\"\ncommand = \"inspect\"\ninputs = [\"{steps.y}/a.csv\"]\n[[steps]]\nname = "
      "\"y\"\ncommand = \"inspect\"\ninputs = [\"{steps.x}/a.csv\"]\n");
  EXPECT_THAT(error_line(folder, "case d.toml", 2), HasSubstr("waits for itself"));
}

TEST(Case, OnlyOneStepRunsItAndWhatItNeeds) {
  const ScratchFolder folder;
  write_small(folder);
  const ProgramRun run =
      run_program(folder, "case a.toml --out out --quiet --figure none --only 'how strong'");
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_TRUE(fs::exists(folder.path("out/steps/how-strong")));
  EXPECT_FALSE(fs::exists(folder.path("out/steps/who")));
  EXPECT_THAT(error_line(folder, "case a.toml --out out --only woh", 2), HasSubstr("did you mean \"who\""));
}

TEST(Case, AStepThatFailsIsToldAndTheOthersGoOn) {
  const ScratchFolder folder;
  write_small(folder);
  folder.write("junk.wav", "no sound at all");
  folder.write("e.toml", std::string(small_case) +
                             "[recordings.junk]\nfile = \"junk.wav\"\n[[steps]]\nname = \"broken\"\ncommand "
                             "= \"inspect\"\nrecording = \"junk\"\n");
  const ProgramRun run = run_program(folder, "case e.toml --out out --figure none");
  EXPECT_EQ(run.status, 3);
  EXPECT_THAT(run.err, HasSubstr("step \"broken\": junk.wav"));
  EXPECT_THAT(ScratchFolder::read(folder.path("out/report.html")), HasSubstr("gave nothing"));
  EXPECT_TRUE(fs::exists(folder.path("out/steps/who/document.json")));
  EXPECT_FALSE(fs::exists(folder.path("out/steps/broken")));
}

TEST(Case, EveryCommandPrintsItselfAsAStepThatDoesTheSame) {
  const ScratchFolder folder;
  write_small(folder);
  const std::string line =
      "spectrum one.csv --channel 'body' --window flat-top --span '10 Hz..200 Hz' --span '20Hz..90Hz' "
      "--peaks 3";
  const ProgramRun step = run_program(folder, line + " --as-step");
  ASSERT_EQ(step.status, 0) << step.err;
  EXPECT_FALSE(fs::exists(folder.path("vprism-out")));
  folder.write("s.toml", step.out);
  ASSERT_EQ(run_program(folder, "case s.toml --out out --quiet --figure none").status, 0);
  const auto direct = document_of(folder, line);
  const auto kept =
      nlohmann::json::parse(ScratchFolder::read(folder.path("out/steps/spectrum/document.json")));
  EXPECT_EQ(kept["results"].dump(), direct["results"].dump());
  EXPECT_EQ(run_program(folder, "demo --as-step").status, 2);
}

TEST(Case, KilledInTheMiddleItLeavesNothingPartialAndTheNextRunFinishes) {
  const ScratchFolder folder;
  write_small(folder);
  const pid_t child = ::fork();
  if (child == 0) {
    if (::chdir(folder.path().c_str()) != 0) ::_exit(126);
    if (std::freopen("/dev/null", "w", stdout) == nullptr ||
        std::freopen("/dev/null", "w", stderr) == nullptr)
      ::_exit(126);
    ::execl(tested_program().c_str(), "vprism", "case", "a.toml", "--out", "out",
            static_cast<char*>(nullptr));
    ::_exit(127);
  }
  // As soon as something is being made.
  for (int i = 0; i < 2000 && !fs::exists(folder.path("out/steps")); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(1));
  std::this_thread::sleep_for(std::chrono::milliseconds(60));
  ::kill(child, SIGKILL);
  int status = 0;
  ::waitpid(child, &status, 0);
  ASSERT_TRUE(WIFSIGNALED(status));
  for (const char* name : {"report.html", "report.md", "case.json"})
    EXPECT_FALSE(fs::exists(folder.path(std::string("out/") + name)));
  for (const auto& entry : fs::directory_iterator(folder.path("out/steps")))
    if (entry.is_directory() && entry.path().filename().string().front() != '.') {
      EXPECT_TRUE(fs::exists(entry.path() / "run.json")) << entry.path();
    }
  const ProgramRun next = run_program(folder, "case a.toml --out out --quiet");
  EXPECT_EQ(next.status, 1) << next.err;
  for (const auto& entry : fs::directory_iterator(folder.path("out/steps")))
    EXPECT_NE(entry.path().filename().string().rfind(".vprism", 0), 0u) << entry.path();
  EXPECT_EQ(case_document(folder)["steps"].size(), 3u);
}

TEST(Case, AFullDiskAMissingGnuplotAndALockedPlaceGiveOneLine) {
  const ScratchFolder folder;
  write_small(folder);
  // No file may grow beyond a kilobyte.
  const std::string limited = "trap '' XFSZ; ulimit -f 1; '" + tested_program() +
                              "' case a.toml --out full --quiet --figure none > /dev/null 2> .err";
  EXPECT_EQ(WEXITSTATUS(std::system(("cd '" + folder.path() + "' && sh -c \"" + limited + "\"").c_str())), 5);
  const std::string said = ScratchFolder::read(folder.path(".err"));
  EXPECT_EQ(std::count(said.begin(), said.end(), '\n'), 1) << said;
  EXPECT_FALSE(fs::exists(folder.path("full/report.html")));
  // Without gnuplot on the path.
  EXPECT_EQ(WEXITSTATUS(std::system(("cd '" + folder.path() + "' && PATH=/nowhere '" + tested_program() +
                                     "' case a.toml --out none --quiet > /dev/null 2> .err")
                                        .c_str())),
            5);
  EXPECT_THAT(ScratchFolder::read(folder.path(".err")), HasSubstr("gnuplot"));
  // A file where the folder should be.
  folder.write("taken", "x");
  EXPECT_THAT(error_line(folder, "case a.toml --out taken", 5), HasSubstr("taken"));
  EXPECT_EQ(ScratchFolder::read(folder.path("taken")), "x");
  // A place where no one can write, not even root.
  EXPECT_THAT(error_line(folder, "case a.toml --out /proc/vprism", 5), HasSubstr("/proc/vprism"));
  EXPECT_THAT(error_line(folder, "batch inspect one.csv --out /proc/vprism", 5), HasSubstr("/proc/vprism"));
  // What is there and is no case's is not written over.
  fs::create_directory(folder.path("mine"));
  folder.write("mine/report.html", "my own");
  EXPECT_THAT(error_line(folder, "case a.toml --out mine --figure none", 5), HasSubstr("--force"));
  EXPECT_EQ(ScratchFolder::read(folder.path("mine/report.html")), "my own");
}

TEST(Case, AnInputThatVanishesBetweenRunsIsSaidSo) {
  const ScratchFolder folder;
  write_small(folder);
  EXPECT_EQ(run_program(folder, "case a.toml --out out --quiet --figure none").status, 1);
  fs::remove(folder.path("one.csv"));
  EXPECT_THAT(error_line(folder, "case a.toml --out out --figure none", 2),
              HasSubstr("\"one.csv\" is not there"));
  EXPECT_TRUE(fs::exists(folder.path("out/report.html")));
}

TEST(Case, HostileTextsRunNoScriptAndMakeNoRequestInARealBrowser) {
  const ScratchFolder folder;
  const std::string evil =
      "</script><script>document.title='PWNED'</script><img src=http://127.0.0.1:9/x "
      "onerror=document.title='PWNED'>";
  std::string csv = tones(1, 0.2);
  csv.replace(csv.find("body (m/s^2)"), 12, "\"" + evil + "\"");
  folder.write("one.csv", csv);
  folder.write("h.toml", "title = \"" + evil + "\"\nquestion = \"" + evil + "\"\n# " + evil +
                             "\n[recordings.one]\nfile = \"one.csv\"\ntitle = \"" + evil +
                             "\"\n[[suspect]]\nname = \"" + evil +
                             "\"\nfrequency = \"50.25 Hz\"\n[[steps]]\nname = \"who\"\ncommand = "
                             "\"identify\"\nrecording = \"one\"\nnote = \"" +
                             evil + "\"\n");
  const ProgramRun run = run_program(folder, "case h.toml --out out --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  const std::string command =
      "cd '" + folder.path() +
      "' && chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run "
      "--disable-background-networking --disable-component-update --disable-sync --user-data-dir=profile "
      "--enable-logging=stderr --log-net-log=net.json --virtual-time-budget=5000 --dump-dom out/report.html "
      "> dom.html 2> browser.txt";
  ASSERT_EQ(std::system(command.c_str()), 0) << ScratchFolder::read(folder.path("browser.txt"));
  const std::string dom = ScratchFolder::read(folder.path("dom.html"));
  EXPECT_THAT(dom, Not(HasSubstr("<title>PWNED")));
  // The page's own script did run: there are curves on canvases.
  EXPECT_THAT(dom, HasSubstr("<html lang=\"en\" class=\"js\">"));
  EXPECT_THAT(dom, HasSubstr("<canvas"));
  EXPECT_EQ(dom.find("onerror=document"),
            std::string::npos == dom.find("<img src=\"http") ? dom.find("onerror=document") : 0);
  EXPECT_THAT(dom, Not(HasSubstr("<img src=\"http")));
  const std::string said = ScratchFolder::read(folder.path("browser.txt"));
  EXPECT_THAT(said, Not(HasSubstr("Content Security Policy")));
  EXPECT_THAT(said, Not(HasSubstr("Uncaught")));
  const std::string net = ScratchFolder::read(folder.path("net.json"));
  EXPECT_THAT(net, Not(HasSubstr("http://127.0.0.1:9")));
}

}  // namespace
}  // namespace vprism::case_test
