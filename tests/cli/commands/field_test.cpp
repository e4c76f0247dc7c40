// The command `field` on the demo's mirror cell, held to TRUTH.md, and what it writes.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>
#include <numbers>

#include "cli/run_program.h"
#include "formats/reading.h"

namespace vprism::field_cli_test {
namespace {

using nlohmann::json;
using ::testing::HasSubstr;
const std::string cell = VPRISM_SOURCE "/demo/data/cell-field.h5";

TEST(CellField, ModesAreThoseOfTheTruth) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(folder, "field " + cell + " --json --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  const json document = run.json();
  const json& result = document["results"][0];
  EXPECT_EQ(result["points"].get<int>(), 165);
  EXPECT_EQ(result["frames"].get<int>(), 1024);
  EXPECT_TRUE(result["dies_away"].get<bool>());
  ASSERT_EQ(result["peaks"].size(), 2u);
  const double hz[] = {62.1, 148.7}, damping[] = {0.011, 0.006};
  for (std::size_t m = 0; m < 2; ++m) {
    const json& peak = result["peaks"][m];
    EXPECT_NEAR(number_of(peak["frequency_hz"]), hz[m], 4 * number_of(peak["frequency_std_hz"]));
    EXPECT_NEAR(number_of(peak["damping_ratio"]), damping[m], 4 * number_of(peak["damping_std"]));
    EXPECT_TRUE(peak["standing"].get<bool>());
  }
  // One bulge in the middle (row 6 of 11, column 8 of 15); two bulges, a quarter of the width from either
  // side.
  EXPECT_EQ(result["peaks"][0]["max_point"].get<int>(), 83);
  const int second = result["peaks"][1]["max_point"].get<int>();
  EXPECT_TRUE(second == 79 || second == 87) << second;
  EXPECT_LT(number_of(result["assurance"][0][1]), 0.01);
  bool cut = false;
  for (const json& c : document["cautions"]) cut = cut || text_of(c["code"]) == "ring-down-cut";
  EXPECT_TRUE(cut);
}

TEST(CellField, EveryOutputIsWrittenAndReadable) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(
      folder, "field " + cell +
                  " --out o --quiet --animate --also vtk,universal,hdf5 --along 76..90 --spectra-of 83");
  ASSERT_EQ(run.status, 0) << run.err;
  for (const char* name : {"maps.png", "spectrum.png", "lines.png", "shape-1.png", "shape-2.png"})
    EXPECT_EQ(ScratchFolder::read(folder.path(std::string("o/cell-field-field-") + name)).substr(1, 3), "PNG")
        << name;
  const std::string gif = ScratchFolder::read(folder.path("o/cell-field-field-shape-1.gif"));
  EXPECT_EQ(gif.substr(0, 6), "GIF89a");
  // Frames: graphic control extensions.
  std::size_t frames = 0;
  for (std::size_t at = gif.find("\x21\xf9\x04"); at != std::string::npos;
       at = gif.find("\x21\xf9\x04", at + 1))
    ++frames;
  EXPECT_GE(frames, 24u);
  const std::string vtk = ScratchFolder::read(folder.path("o/cell-field-field.vtk"));
  EXPECT_THAT(vtk, HasSubstr("POINTS 165 double"));
  EXPECT_THAT(vtk, HasSubstr("VECTORS imaginary_2_148.7_Hz double"));
  const std::string universal = ScratchFolder::read(folder.path("o/cell-field-field.uff"));
  EXPECT_THAT(universal, HasSubstr("\n    55\n"));
  // Our own reader takes nodes and the mean spectrum.
  const WholeRecording r = read_file(folder.path("o/cell-field-field.uff"));
  EXPECT_EQ(r.recording.nodes.size(), 165u);
  EXPECT_EQ(r.columns[0].size(), 513u);
  ASSERT_EQ(std::system(
                ("cd '" + folder.path() +
                 "' && /usr/bin/python3 -c \"import h5py; f = h5py.File('o/cell-field-field.h5'); assert "
                 "f['shapes/real'].shape == (2, 165, 1) and abs(f['shapes/frequency_hz'][0] - 62.1) < 0.01\"")
                    .c_str()),
            0);
  // The line through the middle: fifteen points of the second shape, half of them against the other half.
  const std::string lines = ScratchFolder::read(folder.path("o/cell-field-field-lines.csv"));
  EXPECT_EQ(std::count(lines.begin(), lines.end(), '\n'), 16);
}

TEST(CellField, ChoicesNarrowItDown) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(folder, "field " + cell +
                                                 " --at 148.7Hz --region 'x ..0.7' --frames 0..511 --derive "
                                                 "displacement --phase-to 79 --json --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  const json result = run.json()["results"][0];
  EXPECT_EQ(result["unit"].get<std::string>(), "mm");
  EXPECT_EQ(result["frames"].get<int>(), 512);
  EXPECT_EQ(result["phase_point"].get<int>(), 79);
  ASSERT_EQ(result["peaks"].size(), 1u);
  EXPECT_EQ(result["peaks"][0]["max_point"].get<int>(), 79);
}

TEST(CellField, AnotherRunIsCompared) {
  const ScratchFolder folder;
  ASSERT_EQ(run_program(folder, "field " + cell + " --out a --also hdf5 --figure none --quiet").status, 0);
  // Half the record: the same modes, with larger amplitudes since they are means over the record.
  const ProgramRun run =
      run_program(folder, "field " + cell + " --frames 0..511 --versus a/cell-field-field.h5 --json --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  const json pairs = run.json()["results"][0]["versus"];
  ASSERT_EQ(pairs.size(), 2u);
  for (const json& pair : pairs) {
    EXPECT_NEAR(number_of(pair["delta_hz"]), 0, 0.01);
    EXPECT_GT(number_of(pair["delta_db"]), 1);
    EXPECT_GT(number_of(pair["assurance"]), 0.99);
  }
  const ProgramRun wrong = run_program(folder, "field " + cell + " --versus " + cell + " --quiet");
  EXPECT_EQ(wrong.status, 3);
  EXPECT_THAT(wrong.err, HasSubstr("holds no shapes"));
}

TEST(CellField, SavedTransformsAnswerAsTheRecordingDoes) {
  const ScratchFolder folder;
  const ProgramRun made =
      run_program(folder, "field " + cell + " --keep-transforms --out a --figure none --quiet");
  ASSERT_EQ(made.status, 0) << made.err;
  EXPECT_THAT(made.out, HasSubstr("a/cell-field-field-transforms.h5"));
  const std::string saved = "a/cell-field-field-transforms.h5";
  // The same question, and others: between the bins, of a region, derived, of every third point.
  for (const char* question : {"", " --at 62.1Hz,100.3Hz --region 'x 0..0.7'", " --derive displacement",
                               " --every-point 3 --spectra-of 1"}) {
    const json one = document_of(folder, "field " + cell + " --window rectangular" +
                                             (*question == '\0' ? "" : question))["results"][0],
               other = document_of(folder, "field " + saved + question)["results"][0];
    if (*question == '\0') {
      // The window was chosen by itself when they were made.
      const json chosen = document_of(folder, "field " + cell)["results"][0];
      EXPECT_EQ(text_of(chosen["window"]), text_of(other["window"]));
    }
    EXPECT_EQ(one["points"].dump(), other["points"].dump());
    if (std::string(question).find("--at") == std::string::npos) continue;
    ASSERT_EQ(one["peaks"].size(), other["peaks"].size()) << question;
    for (std::size_t i = 0; i < one["peaks"].size(); ++i) {
      for (const char* key : {"frequency_hz", "mean_level", "max_level", "collinearity"})
        EXPECT_NEAR(number_of(one["peaks"][i][key]), number_of(other["peaks"][i][key]),
                    1e-9 * std::abs(number_of(one["peaks"][i][key])))
            << question << key;
      EXPECT_EQ(one["peaks"][i]["max_point"].dump(), other["peaks"][i]["max_point"].dump());
    }
  }
  // Modes too, as exactly as from the recording.
  const json from_file = document_of(folder, "field " + cell)["results"][0]["peaks"],
             from_saved = document_of(folder, "field " + saved)["results"][0]["peaks"];
  ASSERT_EQ(from_file.size(), from_saved.size());
  for (std::size_t i = 0; i < from_file.size(); ++i)
    for (const char* key : {"frequency_hz", "damping_ratio", "max_level"})
      EXPECT_NEAR(number_of(from_saved[i][key]), number_of(from_file[i][key]),
                  1e-6 * number_of(from_file[i][key]))
          << key;
  EXPECT_THAT(error_line(folder, "field " + saved + " --frames 0..99", 2),
              HasSubstr("window and frames already"));
  // A cut file.
  const std::string bytes = ScratchFolder::read(folder.path(saved));
  folder.write("cut.h5", bytes.substr(0, bytes.size() / 2));
  EXPECT_EQ(run_program(folder, "field cut.h5 --quiet").status, 3);
}

TEST(CellField, WrongChoicesAreToldInOneLine) {
  const ScratchFolder folder;
  const auto error = [&](const std::string& arguments, int status) {
    return error_line(folder, "field " + arguments, status);
  };
  EXPECT_THAT(error(cell + " --region 'x 5..6'", 2), HasSubstr("none of the 165 points"));
  EXPECT_THAT(error(cell + " --spectra-of 999", 2), HasSubstr("no such point"));
  EXPECT_THAT(error(cell + " --frames 5..9", 4), HasSubstr("5 frames"));
  EXPECT_THAT(error(cell + " --at 2kHz", 4), HasSubstr("not below half the rate"));
  EXPECT_THAT(error(cell + " --also stl", 2), HasSubstr("hdf5, vtk, universal"));
  EXPECT_THAT(error("nothing.h5", 3), HasSubstr("no such file"));
  std::filesystem::create_directory(folder.path("empty"));
  EXPECT_THAT(error("empty", 3), HasSubstr("one for each frame"));
}

TEST(FieldChoice, PointsByPlaceFramesByTimePeaksWithinASpan) {
  const ScratchFolder folder;
  const json some =
      document_of(folder, "field " + cell +
                              " --points-at '0.7,0.5' --line '0.05,0.5..1.35,0.5' --frames 20ms..0.5s "
                              "--span 100Hz..200Hz --every-point 2 --leave-out 700..705 --out o");
  const json& r = some["results"][0];
  // Every second of 15 columns and 11 rows; the frames from 41 to 1023 are at 2.048 kHz.
  EXPECT_EQ(r["points"].get<int>(), 48);
  EXPECT_EQ(r["frames"].get<int>(), 983);
  ASSERT_EQ(r["peaks"].size(), 1u);
  EXPECT_NEAR(number_of(r["peaks"][0]["frequency_hz"]), 148.7, 0.01);
  const std::string lines = ScratchFolder::read(folder.path("o/cell-field-field-lines.csv"));
  // Eight points of a row, two shapes' worth of columns, one title.
  EXPECT_EQ(std::count(lines.begin(), lines.end(), '\n'), 9);
  const std::string spectrum = ScratchFolder::read(folder.path("o/cell-field-field-spectrum.csv"));
  EXPECT_THAT(spectrum, HasSubstr("point"));
  EXPECT_THAT(error_line(folder, "field " + cell + " --points-at 3,3", 2), HasSubstr("away"));
  EXPECT_THAT(error_line(folder, "field " + cell + " --frames 2s..3s", 2), HasSubstr("no frame lies there"));
  EXPECT_THAT(error_line(folder, "field " + cell + " --leave-out 7..5", 2), HasSubstr("range"));
  EXPECT_THAT(error_line(folder, "field " + cell + " --line 0,0", 2), HasSubstr("no line"));
}

TEST(FieldChoice, DampingOfModesThatAreAskedForAndMapsOfTheDifference) {
  const ScratchFolder folder;
  const json at = document_of(folder, "field " + cell + " --at 62.1Hz,100Hz --figure none");
  const json& peaks = at["results"][0]["peaks"];
  EXPECT_NEAR(number_of(peaks[0]["damping_ratio"]), 0.011, 1e-4);
  EXPECT_FALSE(peaks[1].contains("damping_ratio") && peaks[1]["damping_ratio"].is_number() &&
               number_of(peaks[1]["damping_ratio"]) > 0);
  ASSERT_EQ(run_program(folder, "field " + cell + " --also hdf5 --figure none --quiet --out of").status, 0);
  const ProgramRun run = run_program(
      folder,
      "field " + cell + " --versus of/cell-field-field.h5 --frames 10..1000 --quiet --figure data --out o");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(ScratchFolder::read(folder.path("o/cell-field-field-maps.figure.json")),
              HasSubstr("amplitude less that of the other run"));
}

}  // namespace
}  // namespace vprism::field_cli_test
