// Numbers in the text of programs, counters that wrap, times around a trigger.
#include "formats/documents/program_text.h"

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "formats/reading.h"
#include "formats/scratch_folder.h"
#include "formats/text/clock/clock.h"

namespace vprism::program_text_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

std::string rewritten(const std::string& text) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    rewrite_program_line(std::string_view(text).substr(at, end - at), out);
    at = end + 1;
  }
  return out;
}

TEST(ProgramText, ListsAndRowsOfEveryForm) {
  EXPECT_EQ(rewritten("/* 1 kHz */\nstatic const uint16_t lut[4] = {\n  0x0100, 0x1fU,\n  3, 4\n};\n"),
            "# 1 kHz\nlut = [\n256\n31\n3\n4\n");
  EXPECT_EQ(rewritten("double xy[][2] = {\n {0.5, -1e-3f}, // first\n {1, 2},\n};\n"),
            "xy = [\n0.5\t-0.001\n1\t2\n");
  EXPECT_EQ(rewritten("x = [0 1.5; 0.1 1.6];"), "x = [\n0\t1.5\n0.1\t1.6\n");
  EXPECT_EQ(rewritten("u = np.array([1.0, 2.0,\n  4.0])"), "u = [\n1\n2\n4\n");
  EXPECT_EQ(rewritten("fs = 100;"), "fs = 100\n");
}

TEST(ProgramText, TablesAndProseAreNone) {
  EXPECT_FALSE(is_program_text({"t,u", "0,1", "1,2"}));
  EXPECT_FALSE(is_program_text({"rate = [Hz] 100", "0,1", "1,2"}));
  EXPECT_FALSE(is_program_text({"x = [", "0 1", "1 2", "]"}));  // Plain rows, which a table has too.
  EXPECT_FALSE(is_program_text({"if (x = {1}) return;", "the end", "of 3 lines", "and 4"}));
  EXPECT_TRUE(is_program_text({"float a[] = {", "1.0f, 2.0f,", "3.0f };"}));
}

TEST(Clocks, HaveSignsAndMayLackTheirYear) {
  EXPECT_EQ(parse_time_of_day("-00:00:02.5"), -2500000000);
  EXPECT_EQ(parse_time_of_day("T+00:01:00"), 60000000000);
  EXPECT_EQ(parse_time_of_day("+0:00:01"), 1000000000);
  for (const char* none : {"T00:00:01", "--00:00:01", "-", "T+", "+5", "05 Mar", "31 Feb 10:00:00"})
    EXPECT_FALSE(parse_time_of_day(none)) << none;
  const auto march = parse_time_of_day("Mar  5 14:03:22.25"), later = parse_time_of_day("06 Mar 14:03:23");
  ASSERT_TRUE(march && later);
  EXPECT_EQ(*later - *march, 86400750000000);
}

TEST(WrappedCounters, GoOnAndRestartsDoNot) {
  const ScratchFolder folder;
  const auto with = [&](const char* title, auto stamp) {
    std::string text = std::string(title) + ",u (V)\n";
    for (int n = 0; n < 300; ++n) text += fmt::format("{},{}\n", stamp(n), n);
    return read_file(folder.write("x.csv", text));
  };
  const WholeRecording ms = with("time (ms)", [](int n) { return (65000 + 7 * n) % 65536; });
  EXPECT_TRUE(ms.warns_of("counter-wrapped"));
  EXPECT_NEAR(ms.recording.axis.interval, 0.007, 1e-12);
  EXPECT_NEAR(ms.recording.axis.start, 65, 1e-9);
  // Microseconds of 32 bits, shown as milliseconds.
  const WholeRecording us = with("time (ms)", [](int n) {
    return fmt::format("{:.3f}", static_cast<double>((4294900000LL + 1000 * n) % 4294967296LL) / 1000);
  });
  EXPECT_TRUE(us.warns_of("counter-wrapped"));
  EXPECT_NEAR(us.recording.axis.interval, 0.001, 1e-12);
  const WholeRecording restarts = with("time (ms)", [](int n) { return 10 * (n % 100); });
  EXPECT_FALSE(restarts.warns_of("counter-wrapped"));
  EXPECT_TRUE(restarts.warns_of("runs-apart"));
  // Records of 64 values each in 2^32 us, and of 2^16 counts, begin anew as well.
  for (const double step : {4294.967296 / 64, 65536.0 / 64}) {
    const WholeRecording anew =
        with("time (s)", [&](int n) { return fmt::format("{:.6f}", step * (n % 64)); });
    EXPECT_FALSE(anew.warns_of("counter-wrapped")) << step;
    EXPECT_TRUE(anew.warns_of("runs-apart")) << step;
  }
}

TEST(LogLines, LoseNoNameBehindWords) {
  const ScratchFolder folder;
  std::string text;
  for (int n = 0; n < 40; ++n)
    text += fmt::format("[10:00:{:06.3f}] DEBUG daq.c: load={} temp={}\n", 0.1 * n, n, 20 + n);
  const WholeRecording r = read_file(folder.write("x.log", text));
  EXPECT_THAT(r.names(), ElementsAre("load", "temp"));
  EXPECT_NEAR(r.recording.axis.interval, 0.1, 1e-9);
}

}  // namespace
}  // namespace vprism::program_text_test
