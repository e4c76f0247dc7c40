// A stream as a terminal shows it, its keys, and the waveform around alarms.
#include <gmock/gmock.h>

#include <cmath>

#include "cli/run_program.h"
#include "commands/watch/view.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::watch_view_test {
namespace {

namespace fs = std::filesystem;
using ::testing::HasSubstr;
using ::testing::Not;

/// Two channels after one look: a tone of 1 V at 100 Hz in one, of 2 V at 250 Hz in the other.
WatchState looked(double scale = 1) {
  WatchState state;
  state.stem = "s";
  state.recording.axis.interval = 1e-3;
  for (const auto& [name, hz, rms] : {std::tuple("mast", 100.0, 1.0), std::tuple("pier", 250.0, 2.0)}) {
    state.recording.channels.push_back({name, Unit::parse("V"), ""});
    std::vector<double> x(4096);
    for (std::size_t n = 0; n < x.size(); ++n)
      x[n] = scale * rms * std::sqrt(2.0) * std::cos(2 * M_PI * hz * 1e-3 * static_cast<double>(n));
    ChannelNow now;
    SpectrumSettings settings;
    settings.segment = 1000;
    now.spectrum = spectrum_of(x, 1000, settings);
    now.peaks = {};
    state.now.push_back(now);
    state.maps.emplace_back(10);
  }
  return state;
}

const Curve& curve_named(const Panel& panel, const std::string& name) {
  for (const Curve& curve : panel.curves)
    if (curve.name == name) return curve;
  throw std::runtime_error("no curve " + name);
}

TEST(LiveView, ShowsOneChannelAndTheNextAtAKey) {
  LiveView view(false);
  const WatchState state = looked();
  Curve rising;
  rising.x = {0, 1}, rising.y = {0, 1};
  const WatchLook look{state, "", rising};
  EXPECT_EQ(view.figure(look).panels[0].title, "mast");
  EXPECT_EQ(view.press('n'), LiveView::Wish::redraw);
  const Figure figure = view.figure(look);
  EXPECT_EQ(figure.panels[0].title, "pier");
  const Curve& now = curve_named(figure.panels[1], "now");
  const auto top = std::max_element(now.y.begin(), now.y.end()) - now.y.begin();
  EXPECT_NEAR(now.x[static_cast<std::size_t>(top)], 250, 1e-9);
  EXPECT_NEAR(now.y[static_cast<std::size_t>(top)], 2, 0.001);
}

TEST(LiveView, HoldsTheHighestUntilItIsReset) {
  LiveView view(false);
  const WatchState loud = looked(3), quiet = looked(1);
  const WatchLook before{loud, ""}, now{quiet, ""};
  (void)view.figure(before);
  const auto highest = [&] {
    const Curve curve = curve_named(view.figure(now).panels[0], "highest");
    return *std::max_element(curve.y.begin(), curve.y.end());
  };
  EXPECT_NEAR(highest(), 3, 0.01);
  view.press('r');
  EXPECT_NEAR(highest(), 1, 0.01);
  view.press('h');
  EXPECT_THROW(highest(), std::runtime_error);
}

TEST(LiveView, ZoomsAndMovesWithinTheBand) {
  LiveView view(false);
  const WatchState state = looked();
  const WatchLook look{state, ""};
  EXPECT_NEAR(*view.figure(look).panels[0].x.high, 500, 1e-9);
  view.press('+');
  view.press('<');
  view.press('<');
  view.press('<');  // No farther than the band's end.
  EXPECT_NEAR(*view.figure(look).panels[0].x.low, 0, 1e-9);
  EXPECT_NEAR(*view.figure(look).panels[0].x.high, 250, 1e-9);
  for (int i = 0; i < 30; ++i) view.press('-');
  EXPECT_NEAR(*view.figure(look).panels[0].x.high, 500, 1e-9);
  EXPECT_EQ(view.press('q'), LiveView::Wish::end);
  EXPECT_EQ(view.press('s'), LiveView::Wish::save);
  EXPECT_EQ(view.press('?'), LiveView::Wish::none);
}

/// A tone of 1, and one of 5 from 6 s to 6.5 s, at 1 kHz.
void write_burst(const ScratchFolder& folder) {
  std::string text = "time (s),u (V)\n";
  for (int n = 0; n < 10000; ++n) {
    const double t = n * 1e-3, level = t >= 6 && t < 6.5 ? 5 : 1;
    text += std::to_string(t) + "," + std::to_string(level * std::cos(2 * M_PI * 50 * t)) + "\n";
  }
  folder.write("a.csv", text);
  folder.write("limit.csv", "frequency (Hz),level (V)\n10,1.2\n400,1.2\n");
}

TEST(Watch, KeepsTheWaveformAroundAnAlarm) {
  const ScratchFolder folder;
  write_burst(folder);
  const ProgramRun run = run_program(folder,
                                     "watch - --limit limit.csv --every 500ms --memory 1s --segment 500 "
                                     "--pre-trigger 300ms --figure none --out o < a.csv");
  EXPECT_EQ(run.status, 1) << run.err;
  EXPECT_THAT(run.out, HasSubstr("the waveform around an alarm"));
  const auto document = document_of(folder, "inspect o/stdin-watch-alarm-1.h5");
  const nlohmann::json& channel = document["results"][0];
  // The look that broke the limit ended at 6.5 s, and was of one second.
  EXPECT_NEAR(number_of(document["inputs"][0]["channels"][0]["start_s"]), 6.5 - 1 - 0.3, 1e-9);
  EXPECT_EQ(channel["samples"].get<int>(), 1600);
  EXPECT_NEAR(number_of(channel["max"]), 5, 0.01);
  EXPECT_FALSE(fs::exists(folder.path("o/stdin-watch-alarm-2.h5")));
}

TEST(Watch, RefusesToKeepWaveformsNowhere) {
  const ScratchFolder folder;
  write_burst(folder);
  EXPECT_THAT(error_line(folder, "watch a.csv --pre-trigger 1s --json", 2), HasSubstr("--out"));
  EXPECT_THAT(error_line(folder, "watch a.csv --pre-trigger 1e12s --idle-end 100ms", 2),
              HasSubstr("--pre-trigger"));
  EXPECT_THAT(error_line(folder, "watch a.csv --figure terminal", 2), HasSubstr("--figure terminal"));
}

TEST(Watch, OnATerminalShowsPanelsAndEndsAtAKey) {
  const ScratchFolder folder;
  write_burst(folder);
  std::string more;  // Comes too late.
  for (int n = 10000; n < 12000; ++n) more += std::to_string(n * 1e-3) + ",0\n";
  folder.write("more.csv", more);
  folder.write("run.sh",
               "stty cols 90 rows 40\n(cat a.csv; sleep 9; cat more.csv) | TERM=xterm NO_COLOR=1 '" +
                   tested_program() + "' watch - --every 500ms --figure none --out o\n");
  const ProgramRun run = run_printed(
      folder, "cd '" + folder.path() +
                  "' && (sleep 5; printf q) | timeout 25 script -qec 'sh run.sh' /dev/null > .out 2> .err");
  EXPECT_THAT(run.out, HasSubstr("Level, RMS (V)"));
  EXPECT_THAT(run.out, HasSubstr("q end"));
  EXPECT_THAT(run.out, HasSubstr("10000 samples, until 10 s"));
}

}  // namespace
}  // namespace vprism::watch_view_test
