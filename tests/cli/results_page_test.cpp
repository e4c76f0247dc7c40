// results_page_test.cpp: docs/results.md names every key that the commands write, and none that they do not.
#include <gmock/gmock.h>

#include <filesystem>
#include <fstream>
#include <regex>
#include <set>
#include <sstream>

#include "cli/run_program.h"

namespace vprism::results_page_test {
namespace {

std::string text_of(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream out;
  out << in.rdbuf();
  return out.str();
}

/// Words between backquotes; of a path its last part.
std::set<std::string> words_on_the_page() {
  const std::string page = text_of(VPRISM_SOURCE "/docs/results.md");
  const std::regex word("`([a-z_0-9.\\[\\]]+)`");
  std::set<std::string> out;
  for (std::sregex_iterator at(page.begin(), page.end(), word), end; at != end; ++at) {
    std::string key = (*at)[1];
    for (std::size_t mark; (mark = key.find("[]")) != std::string::npos;) key.erase(mark, 2);
    out.insert(key.substr(key.rfind('.') + 1));
  }
  return out;
}

void gather(const nlohmann::json& value, std::set<std::string>& keys) {
  if (value.is_object())
    for (const auto& [key, inner] : value.items()) {
      keys.insert(key);
      // What a file or a chain says of itself has names of its own.
      if (key != "settings" && key != "notes" && key != "values" && key != "did") gather(inner, keys);
    }
  if (value.is_array())
    for (const auto& inner : value) gather(inner, keys);
}

class ResultsPage : public ::testing::TestWithParam<const char*> {};

TEST_P(ResultsPage, NamesEveryKeyOf) {
  const ScratchFolder folder;
  const std::string demo = VPRISM_SOURCE "/demo/data/";
  for (const auto& entry : std::filesystem::directory_iterator(demo))
    std::filesystem::create_symlink(entry.path(), folder.path(entry.path().filename().string()));
  folder.write(
      "sweep.csv",
      "frequency (Hz),h re (1),h im (1)\n1,1,0\n2,1,-0.1\n3,1.2,-0.6\n4,0.3,-1\n6,-0.2,-0.3\n9,-0.1,0\n");
  folder.write("high.csv", "frequency (Hz),level (V)\n10,1e-5\n20000,1e-5\n");
  const ProgramRun run = run_program(folder, std::string(GetParam()) + " --json --quiet --figure none");
  ASSERT_LE(run.status, 1) << run.err;
  std::set<std::string> keys;
  gather(run.json(), keys);
  const std::set<std::string> page = words_on_the_page();
  for (const std::string& key : keys) EXPECT_TRUE(page.count(key) > 0) << key << " is not in docs/results.md";
}

INSTANTIATE_TEST_SUITE_P(
    Documents, ResultsPage,
    ::testing::Values(
        "inspect mount-daq.h5", "spectrum mount-daq.h5 --channel 1 --bands third --confidence 95%",
        "spectrum mount-daq.h5 --channel 1 --slide 8s --gate 0s..8s", "spectrum sweep.csv",
        "spectrum mount-daq.h5 --channel 1 --window hann,flat-top",
        "identify mount-daq.h5 --suspects suspects.toml", "distortion mount-daq.h5 --channel 1",
        "cycles drive-scope.csv --channel 1", "modulation mount-daq.h5 --channel 1 --span 25Hz..36Hz",
        "spectrogram mount-daq.h5 --channel 1", "scalogram drive-scope.csv --channel 1",
        "occupancy mount-daq.h5 --channel 1", "response tap-test.uff --at 31Hz --input-density 1",
        "response sweep.csv --at 2Hz", "rebuild mount-daq.h5 --channel 1",
        "peaks drive-scope.csv --channel 1", "levels mount-daq.h5 --channel 1 --over 7mV",
        "condition mount-daq.h5 --channel 1 --chain 'lowpass 50Hz' --versus despike", "compare mount-daq.h5",
        "compare sweep.csv sweep.csv", "limits mount-daq.h5 --channel 1 --limit high.csv --partial",
        "orders slew-runup.wav", "field cell-field.h5"));

TEST(ResultsPages, NameNoKeyThatIsNotWritten) {
  std::string source;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(VPRISM_SOURCE "/src"))
    if (entry.path().extension() == ".cpp") source += text_of(entry.path());
  for (const std::string& word : words_on_the_page())
    // Two that are put together.
    if (word != "level_a" && word != "level_c") {
      EXPECT_NE(source.find("\"" + word + "\""), std::string::npos) << word;
    }
}

/// By a validator of its own.
TEST(ResultsSchema, HoldsForDocumentsOfOtherData) {
  if (std::system("/usr/bin/python3 -c 'import jsonschema' 2> /dev/null") != 0)
    GTEST_SKIP() << "no validator";
  const ScratchFolder folder;
  std::string text = "time (s),mast (m/s^2),pier (m/s^2)\n";
  for (int n = 0; n < 6000; ++n) {
    const double t = n * 1e-3, hum = std::cos(2 * M_PI * 50 * t);
    text += std::to_string(t) + "," + std::to_string(hum * (1 + 0.3 * std::cos(2 * M_PI * 3 * t))) + "," +
            std::to_string(0.1 * hum + (n == 3000 ? 5 : 0) + 0.01 * ((n * 7919) % 101 - 50)) + "\n";
  }
  folder.write("a.csv", text);
  folder.write("case.toml",
               "title = \"T\"\n[recordings.a]\nfile = \"a.csv\"\n[[steps]]\ncommand = \"identify\"\n"
               "recording = \"a\"\n");
  folder.write("lim.csv", "frequency (Hz),level (m/s^2)\n10,0.1\n400,0.1\n");
  int made = 0;
  for (const std::string line :
       {"inspect a.csv", "spectrum a.csv --bands octave", "identify a.csv", "spectrogram a.csv",
        "compare a.csv", "levels a.csv --over 0.5", "peaks a.csv --channel pier",
        "limits a.csv --limit lim.csv", "response a.csv --reference mast", "case case.toml"}) {
    const ProgramRun run = run_program(folder, line + " --figure none --quiet --json");
    EXPECT_LE(run.status, 1) << line << run.err;
    const bool printed = line.rfind("case", 0) != 0;
    folder.write("d" + std::to_string(made++) + ".json",
                 printed ? run.out : ScratchFolder::read(folder.path("vprism-out/case.json")));
  }
  folder.write(
      "check.py",
      "import glob, json, jsonschema, sys\n"
      "schema = json.load(open('schema.json'))\n"
      "jsonschema.Draft202012Validator.check_schema(schema)\n"
      "validator = jsonschema.Draft202012Validator(schema)\n"
      "for name in sorted(glob.glob('d*.json')):\n"
      "  d = json.load(open(name))\n"
      "  for e in validator.iter_errors(d): print(d['command'], list(e.absolute_path), e.message[:200])\n"
      "d['schema'] = 2\n"
      "assert list(validator.iter_errors(d))\n");
  const ProgramRun schema = run_program(folder, "--schema");
  folder.write("schema.json", schema.out);
  EXPECT_EQ(schema.out, text_of(std::filesystem::path(VPRISM_SOURCE "/docs/results.schema.json")));
  const ProgramRun check =
      run_printed(folder, "cd '" + folder.path() + "' && /usr/bin/python3 check.py > .out 2> .err");
  EXPECT_EQ(check.status, 0) << check.err;
  EXPECT_EQ(check.out, "");
}

}  // namespace
}  // namespace vprism::results_page_test
