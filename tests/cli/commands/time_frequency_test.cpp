// The commands that look at time and frequency together, on the demo recordings and on made-up ones, held to
// TRUTH.md and to closed forms.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "cli/run_program.h"
#include "formats/reading.h"

namespace vprism::time_frequency_test {
namespace {

using nlohmann::json;
using ::testing::HasSubstr;

const std::string data = VPRISM_SOURCE "/demo/data/";

/// "shutter starts": middle 702 s, 0.27 Hz, 697 to 707 s; "shutter seats": 722 s, 0.5 Hz, 719.5 to 724.5 s.
TEST(DomeTilt, EventsAreFittedOnTheSamplesHoweverLongTheSegments) {
  const ScratchFolder folder;
  const json document = document_of(folder, "spectrogram " + data + "dome-tilt.h5 --segment 2048");
  json events = document["results"][0]["events"];
  // The map shows both at once, far longer than they last; the fits part them.
  ASSERT_GE(events.size(), 2u);
  if (number_of(events[0]["peak_s"]) > number_of(events[1]["peak_s"])) std::swap(events[0], events[1]);
  const double middle[] = {702, 722}, hz[] = {0.27, 0.5}, peak[] = {0.8, 0.6};
  for (std::size_t i = 0; i < 2; ++i) {
    EXPECT_EQ(text_of(events[i]["shape"]), "bell");
    EXPECT_NEAR(number_of(events[i]["peak_s"]), middle[i], 3 * number_of(events[i]["peak_std_s"]));
    EXPECT_NEAR(number_of(events[i]["peak_hz"]), hz[i], 3 * number_of(events[i]["peak_std_hz"]));
    EXPECT_NEAR(number_of(events[i]["level"]), peak[i] / std::sqrt(2.0),
                3 * number_of(events[i]["level_std"]));
    EXPECT_LT(number_of(events[i]["peak_std_s"]), 1.5);
  }
  const std::vector<std::string> codes = codes_of(document);
  EXPECT_THAT(codes, ::testing::Contains("event-shorter-than-window"));
  EXPECT_THAT(codes, ::testing::Contains("events-merged"));
  EXPECT_NEAR(number_of(document["results"][0]["window_s"]), 128, 1e-9);
}

TEST(DomeTilt, ScalogramPartsThemWithTheirTimesAndBands) {
  const ScratchFolder folder;
  const json document =
      document_of(folder, "scalogram " + data + "dome-tilt.h5 --extract '0.2Hz..0.6Hz @ 680s..740s' --out o");
  json events = document["results"][0]["events"];
  ASSERT_EQ(events.size(), 2u);
  if (number_of(events[0]["peak_s"]) > number_of(events[1]["peak_s"])) std::swap(events[0], events[1]);
  struct Truth {
    double middle, start, end, hz, low, high, peak;
  };
  const Truth truths[] = {{702, 697, 707, 0.27, 0.226, 0.314, 0.8},
                          {722, 719.5, 724.5, 0.5, 0.412, 0.588, 0.6}};
  for (std::size_t i = 0; i < 2; ++i) {
    const json& e = events[i];
    const Truth& t = truths[i];
    EXPECT_NEAR(number_of(e["peak_s"]), t.middle, 0.6);
    EXPECT_NEAR(number_of(e["start_s"]), t.start, 1);
    EXPECT_NEAR(number_of(e["end_s"]), t.end, 1);
    EXPECT_NEAR(number_of(e["peak_hz"]), t.hz, 0.02 * t.hz);
    EXPECT_NEAR(number_of(e["low_hz"]), t.low, 0.02);
    EXPECT_NEAR(number_of(e["high_hz"]), t.high, 0.02);
    EXPECT_NEAR(number_of(e["level"]), t.peak, 0.1 * t.peak);
  }
  // The band's waveform is that of the bumps: compared where the first one is strongest.
  const WholeRecording r = read_file(folder.path("o/dome-tilt-scalogram-extract-1.h5"));
  ASSERT_EQ(r.columns[0].size(), 960u);
  EXPECT_NEAR(r.recording.axis.start, 680, 1e-9);
  double off = 0, all = 0;
  for (std::size_t n = 0; n < 960; ++n) {
    const double t = 680 + static_cast<double>(n) / 16;
    if (std::abs(t - 702) > 6) continue;
    const double truth = 0.8 * std::exp(-4 * std::log(2.0) * std::pow((t - 702) / 10, 2)) *
                         std::cos(2 * std::numbers::pi * 0.27 * (t - 702));
    off += std::pow(r.columns[0][n] - truth, 2), all += truth * truth;
  }
  EXPECT_LT(std::sqrt(off / all), 0.2);  // The wind within the band, and the bump's skirts outside.
}

TEST(LaserBeat, GivesDeviationPeriodShapeAndTheJump) {
  const ScratchFolder folder;
  const json r = document_of(folder, "modulation " + data + "laser-beat.sigmf-meta --out o")["results"][0];
  EXPECT_NEAR(number_of(r["carrier_hz"]), 80e6 + 4200, 5);
  EXPECT_NEAR(number_of(r["deviation_hz"]), 9000, 5);
  EXPECT_NEAR(number_of(r["period_s"]), 1 / 31.2, 1e-6);
  EXPECT_EQ(text_of(r["shape"]), "sine");
  ASSERT_EQ(r["jumps"].size(), 1u);
  EXPECT_NEAR(number_of(r["jumps"][0]["time_s"]), 0.62, 2e-5);
  EXPECT_NEAR(number_of(r["jumps"][0]["step_hz"]), 17500, 10);
  ASSERT_EQ(r["frequency_swings"].size(), 2u);
  EXPECT_NEAR(number_of(r["frequency_swings"][1]["rate_hz"]), 24.3, 0.01);
  EXPECT_NEAR(number_of(r["frequency_swings"][1]["peak"]), 1500, 5);
  // The series can be analysed again.
  const json again = document_of(
      folder,
      "spectrum o/laser-beat-modulation.h5 --channel '*frequency' --gate 0s..0.6s --scale peak --peaks 2");
  EXPECT_NEAR(number_of(again["results"][0]["peaks"][0]["level"]), 9000, 30);
}

TEST(SlewRunUp, GivesItsOrdersAndTheResonanceTheyCross) {
  const ScratchFolder folder;
  const json document =
      document_of(folder, "orders " + data +
                              "slew-runup.wav --calibrate 'mirror cell: sensitivity 100 mV/(m/s^2)' --out o");
  const json& r = document["results"][0];
  EXPECT_EQ(r["pulses_missing"].get<int>(), 2);
  EXPECT_THAT(codes_of(document), ::testing::Contains("tachometer-dropouts"));
  std::vector<double> orders = r["orders"].get<std::vector<double>>();
  std::sort(orders.begin(), orders.end());
  EXPECT_EQ(orders, (std::vector<double>{1, 2, 17}));
  ASSERT_EQ(r["resonances"].size(), 1u);
  const json& resonance = r["resonances"][0];
  // 37.1 Hz, met by order 2 at 18.55 rev/s, 35.13 s.
  EXPECT_NEAR(number_of(resonance["frequency_hz"]), 37.1, 3 * number_of(resonance["frequency_std_hz"]));
  EXPECT_LT(number_of(resonance["frequency_std_hz"]), 0.005);
  EXPECT_NEAR(number_of(resonance["damping_ratio"]), 0.012, 3 * number_of(resonance["damping_std"]));
  EXPECT_LT(number_of(resonance["damping_std"]), 0.0002);
  EXPECT_NEAR(number_of(resonance["crossings"][0]["order"]), 2, 0);
  EXPECT_NEAR(number_of(resonance["crossings"][0]["time_s"]), 35.13, 0.6);
  // Order 17 goes straight to the cell: 0.006 m/s^2 at 110 degrees. Order 1 with the mount's part: 0.0214
  // at 37.
  for (const json& cut : r["cuts"]) {
    const json& last = cut["points"].back();
    const double order = number_of(cut["order"]);
    if (order == 17) {
      EXPECT_NEAR(number_of(last[2]), 0.006, 0.0005);
    }
    if (order == 1) {
      EXPECT_NEAR(number_of(last[2]), 0.02144, 0.0008);
      EXPECT_NEAR(number_of(last[3]), 36.9, 4);
    }
  }
  // Without the tachometer, by its strongest line: the same orders and resonance, no phases.
  const json by_ridge =
      document_of(folder, "orders " + data + "slew-runup.wav --channel 'mirror cell' --ridge 2");
  EXPECT_NEAR(number_of(by_ridge["results"][0]["resonances"][0]["frequency_hz"]), 37.1, 1);
  EXPECT_THAT(codes_of(by_ridge), ::testing::Contains("speed-from-ridge"));
}

TEST(SquareWave, OfEightyMillisecondsGivesItsSeriesResidualAndGibbs) {
  const ScratchFolder folder;
  ASSERT_EQ(run_program(
                folder,
                "generate 'sq (V): square 12.5Hz 1' --rate 100kHz --duration 2s --to hdf5 --name sq --out .")
                .status,
            0);
  const ProgramRun listed = run_program(folder, "cycles sq.h5 --out o --quiet");
  EXPECT_THAT(listed.out, HasSubstr("Gibbs"));
  const json r = document_of(folder, "cycles sq.h5")["results"][0];
  EXPECT_NEAR(number_of(r["period_s"]), 0.08, 1e-9);
  EXPECT_EQ(r["cycles"].get<int>(), 25);
  double left = 1;
  for (const json& o : r["harmonics"]) {
    const int n = o["n"].get<int>();
    const double expected = n % 2 == 1 ? 4 / (n * std::numbers::pi) : 0;
    EXPECT_NEAR(number_of(o["b"]), expected, 1e-4);
    left -= expected * expected / 2;
  }
  EXPECT_NEAR(number_of(r["residual_rms"]), std::sqrt(left), 3e-4);
  EXPECT_NEAR(number_of(r["overshoot_percent"]), 8.95, 0.1);
}

TEST(Spectrogram, WritesTheSameMapInEveryFormatAndEverySegmentOnRequest) {
  const ScratchFolder folder;
  ASSERT_EQ(run_program(folder,
                        "generate 'x (V): tone 100Hz 2' 'y (V): tone 200Hz 1' --rate 2kHz --duration 20s "
                        "--to hdf5 --name two --out .")
                .status,
            0);
  for (const char* kind : {"hdf5", "npy", "csv"})
    ASSERT_EQ(run_program(folder,
                          std::string("spectrogram two.h5 --segment 200 --overlap 50% --figure none --map ") +
                              kind + " --map-columns 100 --out o --force --quiet")
                  .status,
              0);
  ASSERT_EQ(
      run_program(folder,
                  "spectrogram two.h5 --segment 200 --overlap 50% --figure none --map npy --map-columns all "
                  "--slice 5s,100Hz --out all --quiet")
          .status,
      0);
  EXPECT_TRUE(run_python(folder, R"(
import h5py, numpy as n
f = h5py.File('o/two-spectrogram-1.h5'); v = f['values'][:]
assert v.shape == (100, 101), v.shape
assert n.array_equal(v, n.load('o/two-spectrogram-1.npy'))
assert abs(f['x'][10] - 100) < 1e-9 and abs(v[:, 10] - 2 ** .5).max() < 1e-3
rows = [line.split(',') for line in open('o/two-spectrogram-2-map.csv')][1:]
assert len(rows) == 100 and abs(float(rows[7][21]) - .5 ** .5) < 1e-3
every = n.load('all/two-spectrogram-1.npy')
assert every.shape == (399, 101) and abs(every[:, 10] - 2 ** .5).max() < 1e-6
)"));
  EXPECT_THAT(ScratchFolder::read(folder.path("all/two-spectrogram-slices.csv")), HasSubstr("100 Hz"));
}

TEST(Spectrogram, FindsAShortEventInALongRecord) {
  const ScratchFolder folder;
  ASSERT_EQ(run_program(
                folder,
                "generate 'x (V): white 1e-3 + burst 700Hz 0.5 from 41.275s for 50ms' --rate 4kHz --duration "
                "120s --to hdf5 --name b --out .")
                .status,
            0)
      << run_program(folder, "help generate").out;
  const json r = document_of(folder, "spectrogram b.h5 --segment 256")["results"][0];
  ASSERT_EQ(r["events"].size(), 1u);
  EXPECT_NEAR(number_of(r["events"][0]["peak_s"]), 41.3, 0.06);
  EXPECT_NEAR(number_of(r["events"][0]["peak_hz"]), 700, 10);
}

TEST(Rebuild, ByStrongestLinesSuspectsBandAndSavedSpectrum) {
  const ScratchFolder folder;
  const std::string input = data + "mount-daq.wav --channel 'mirror cell' ";
  const json strongest = document_of(folder, "rebuild " + input + "--strongest 4 --out o")["results"][0];
  ASSERT_EQ(strongest["components"].size(), 4u);
  EXPECT_NEAR(number_of(strongest["components"][0]["frequency_hz"]), 31.2, 1e-3);
  EXPECT_NEAR(number_of(strongest["components"][0]["amplitude"]), 0.008, 2e-4);
  EXPECT_GT(number_of(strongest["explained_percent"]), 92);
  EXPECT_EQ(read_file(folder.path("o/mount-daq-rebuild.h5")).recording.channels.size(), 2u);
  const json without = document_of(
      folder, "rebuild " + input + "--suspects " + data + "suspects.toml --without cryocooler")["results"][0];
  ASSERT_EQ(without["components"].size(), 2u);
  EXPECT_NEAR(number_of(without["components"][1]["frequency_hz"]), 62.4, 1e-3);
  ASSERT_EQ(
      run_program(folder,
                  "spectrum " + input +
                      "--segment 98304 --window rectangular --phase-at 0s --figure none --out s --quiet")
          .status,
      0);
  const json back =
      document_of(folder, "rebuild " + input + "--spectrum s/mount-daq-spectrum.csv")["results"][0];
  EXPECT_GT(number_of(back["explained_percent"]), 99.9999);
  // Saved with phases from elsewhere: turned, and said.
  ASSERT_EQ(run_program(folder, "spectrum " + input +
                                    "--segment 98304 --window rectangular --phase-at 1s --scale psd --figure "
                                    "none --out t --quiet")
                .status,
            0);
  const json turned = document_of(folder, "rebuild " + input + "--spectrum t/mount-daq-spectrum.csv");
  EXPECT_GT(number_of(turned["results"][0]["explained_percent"]), 99.9999);
  EXPECT_THAT(codes_of(turned), ::testing::Contains("phases-elsewhere"));
  const json beside = document_of(folder, "rebuild " + input + "--components 6,1,3")["results"][0];
  ASSERT_EQ(beside["side_by_side"].size(), 3u);
  EXPECT_EQ(beside["side_by_side"][2]["components"].get<int>(), 6);
  EXPECT_GT(number_of(beside["side_by_side"][2]["explained_percent"]),
            number_of(beside["side_by_side"][0]["explained_percent"]));
}

TEST(Orders, NeedASpeed) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(folder, "orders " + data + "mount-daq.wav");
  EXPECT_EQ(run.status, 4);
  EXPECT_THAT(run.err, HasSubstr("--tachometer"));
  EXPECT_EQ(run_program(folder, "orders " + data + "slew-runup.wav --tachometer tacho").status, 2);
}

TEST(TimeFrequency, WrongAskingIsToldInOneLine) {
  const ScratchFolder folder;
  const std::pair<const char*, int> wrong[] = {
      {"spectrogram X --hop 1s --overlap 50%", 2},
      {"spectrogram X --map hdf", 2},
      {"spectrogram X --segment 999999", 4},
      {"scalogram X --wavelet morze", 2},
      {"scalogram X --extract 50Hz..60Hz", 4},
      {"scalogram X --span 5Hz..20Hz", 4},
      {"modulation X --carrier 100Hz", 4},
      {"cycles X --period 1s --frequency 1Hz", 2},
      {"cycles X --period 1s --start 1h", 2},
      {"rebuild X --band 1Hz..2Hz --strongest 3 --frequencies 1Hz", 2},
      {"rebuild X --without fan", 2},
      {"rebuild X --frequencies 9Hz", 4},
      {"orders X --ridge 1 --tachometer tacho", 2},
      {"scalogram " VPRISM_SOURCE "/demo/data/laser-beat.sigmf-meta", 4}};
  for (const auto& [arguments, status] : wrong) {
    std::string line = arguments;
    if (const auto at = line.find("X "); at != std::string::npos) line.replace(at, 1, data + "dome-tilt.h5");
    const ProgramRun run = run_program(folder, line + " --quiet --json");
    EXPECT_EQ(run.status, status) << line << run.err;
    EXPECT_EQ(std::count(run.err.begin(), run.err.end(), '\n'), 1) << run.err;
  }
}

/// A bell of 90 Hz at 6 s and a ring-down of 140 Hz from 12 s on beside two steady lines, 20 s at 1 kHz.
std::vector<double> events_beside_lines() {
  std::vector<double> x;
  std::uint64_t bits = 88172645463325252u;
  for (int n = 0; n < 20000; ++n) {
    bits ^= bits << 13, bits ^= bits >> 7, bits ^= bits << 17;
    const double t = n / 1000.0, pi = std::numbers::pi;
    double v = 2 * std::cos(2 * pi * 61.3 * t) + 0.5 * std::cos(2 * pi * 233.7 * t + 1) +
               0.02 * (static_cast<double>(bits >> 11) / 9007199254740992.0 - 0.5);
    v += std::exp(-std::pow((t - 6) / 0.15, 2) / 2) * std::cos(2 * pi * 90 * (t - 6));
    if (t >= 12) v += std::exp(-(t - 12) / 0.08) * std::sin(2 * pi * 140 * (t - 12));
    x.push_back(v);
  }
  return x;
}

TEST(Events, BesideSteadyLinesAreTheirOwn) {
  const ScratchFolder folder;
  const std::vector<double> x = events_beside_lines();
  folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  for (const std::string command : {"spectrogram", "scalogram"}) {
    json events =
        document_of(folder, command + " x.f64 --binary f64le:1ch --rate 1kHz")["results"][0]["events"];
    ASSERT_EQ(events.size(), 2u) << command << events;
    if (number_of(events[0]["peak_s"]) > number_of(events[1]["peak_s"])) std::swap(events[0], events[1]);
    EXPECT_EQ(text_of(events[0]["shape"]), "bell");
    EXPECT_EQ(text_of(events[1]["shape"]), "decay");
    const double time[] = {6, 12}, hz[] = {90, 140}, level = command == "scalogram" ? 1 : std::sqrt(0.5);
    for (std::size_t i = 0; i < 2; ++i) {
      EXPECT_NEAR(number_of(events[i]["peak_s"]), time[i], 4 * number_of(events[i]["peak_std_s"])) << command;
      EXPECT_NEAR(number_of(events[i]["peak_hz"]), hz[i], 4 * number_of(events[i]["peak_std_hz"])) << command;
      EXPECT_NEAR(number_of(events[i]["level"]), level, 0.05) << command;
    }
  }
}

TEST(Events, SteadyLinesAreNone) {
  const ScratchFolder folder;
  std::vector<double> x;
  std::uint64_t bits = 362436069;
  for (int n = 0; n < 16000; ++n) {
    bits ^= bits << 13, bits ^= bits >> 7, bits ^= bits << 17;
    const double t = n / 1000.0, pi = std::numbers::pi;
    x.push_back(std::cos(2 * pi * 145.52 * t + 0.4) + 0.1 * std::cos(2 * pi * 69.5 * t) +
                0.03 * (static_cast<double>(bits >> 11) / 9007199254740992.0 - 0.5));
  }
  folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  for (const std::string command : {"spectrogram", "scalogram"}) {
    const json document = document_of(folder, command + " x.f64 --binary f64le:1ch --rate 1kHz");
    EXPECT_EQ(document["results"][0]["events"].size(), 0u) << command << document["results"][0]["events"];
  }
}

}  // namespace
}  // namespace vprism::time_frequency_test
