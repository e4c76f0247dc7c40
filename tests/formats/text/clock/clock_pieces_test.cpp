// clock_pieces_test.cpp: clocks over several columns, and columns of such names that are none.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include "formats/reading.h"
#include "formats/text/clock/clock.h"

namespace vprism::clock_pieces_test {
namespace {

using ::testing::ElementsAre;

WholeRecording read_rows(const std::string& titles, std::function<std::string(int)> row, int rows = 40) {
  std::string text = titles + "\n";
  for (int n = 0; n < rows; ++n) text += row(n) + "\n";
  const ScratchFolder folder;
  return read_file(folder.write("x.csv", text));
}

TEST(ClockPieces, AYearIsCrossedByDayOfTheYear) {
  const WholeRecording r = read_rows("Year,DOY,Hour,Minute,Level (m)", [](int n) {
    const int minutes = 15 * n + 23 * 60;
    return fmt::format("{},{},{},{},{}", minutes < 1440 ? 2023 : 2024, minutes < 1440 ? 365 : 1,
                       minutes % 1440 / 60, minutes % 60, 0.5 * n);
  });
  EXPECT_THAT(r.names(), ElementsAre("Level"));
  EXPECT_NEAR(r.recording.axis.interval, 900, 1e-6);
  EXPECT_EQ(utc_text(*r.recording.zero_ns), "2023-12-31T23:00:00Z");
  EXPECT_TRUE(r.warns_of("clock-counted"));
}

TEST(ClockPieces, SecondsAndTheirPartsNeedNotBeDated) {
  const WholeRecording r = read_rows("stamp.sec,stamp.usec,x,y", [](int n) {
    const int us = 999000 + 250 * n;
    return fmt::format("{},{},{},{}", 17 + us / 1000000, us % 1000000, n, -n);
  });
  EXPECT_THAT(r.names(), ElementsAre("x", "y"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 4000, 1e-6);
  EXPECT_FALSE(r.recording.zero_ns);
}

TEST(ClockPieces, WeeksSince1980AreInstants) {
  const WholeRecording r =
      read_rows("week,tow,x", [](int n) { return fmt::format("2307,{:.2f},{}", 100 + 0.25 * n, n); });
  EXPECT_THAT(r.names(), ElementsAre("x"));
  // 6 January 1980 and 2307 weeks: 24 March 2024.
  EXPECT_EQ(utc_text(*r.recording.zero_ns), "2024-03-24T00:01:40Z");
}

TEST(ClockPieces, ColumnsOfSuchNamesThatDoNotRiseAreChannels) {
  const WholeRecording limits = read_rows("t (s),hour,min,max", [](int n) {
    return fmt::format("{},{},{},{}", 0.1 * n, 5 - n % 3, n % 7, n % 5);
  });
  EXPECT_THAT(limits.names(), ElementsAre("hour", "min", "max"));
  const WholeRecording parts =
      read_rows("month,day,x", [](int n) { return fmt::format("{},{},{}", 1 + n % 12, 1 + n % 28, n); });
  EXPECT_FALSE(parts.warns_of("clock-counted"));
  const WholeRecording odd = read_rows(
      "year,month,day,x", [](int n) { return fmt::format("2024,{},{},{}", 2, 20 + n, n); }, 20);
  EXPECT_FALSE(odd.warns_of("clock-counted")) << "30 February is no day";
}

TEST(ClockPieces, MinutesAndSecondsAreToldFromHours) {
  const WholeRecording beyond =
      read_rows("mm:ss,x", [](int n) { return fmt::format("{:02}:{:02},{}", n / 12, 5 * n % 60, n); });
  EXPECT_NEAR(beyond.recording.axis.interval, 5, 1e-9);
  const WholeRecording hours =
      read_rows("time,x", [](int n) { return fmt::format("{:02}:{:02},{}", n / 12, 5 * n % 60, n); });
  EXPECT_NEAR(hours.recording.axis.interval, 300, 1e-9);
  EXPECT_TRUE(hours.warns_of("minutes-or-hours"));
  const WholeRecording late =
      read_rows("time,x", [](int n) { return fmt::format("{:02}:{:02},{}", 20 + n / 4, 15 * n % 60, n); });
  EXPECT_NEAR(late.recording.axis.interval, 15, 1e-9) << "26:30 is no time of day";
}

TEST(ClockPieces, HoursBehindADateAsTextAreThoseOfItsDay) {
  // 1 to 3 December, in either order: steps of an hour settle it.
  for (const bool month_first : {true, false}) {
    const WholeRecording r = read_rows(
        "Date,Hour,Load (kW)",
        [&](int n) {
          const int day = 1 + n / 24;
          return fmt::format("{:02}/{:02}/2026,{},{}", month_first ? 12 : day, month_first ? day : 12, n % 24,
                             n % 7);
        },
        60);
    EXPECT_THAT(r.names(), ElementsAre("Load"));
    EXPECT_NEAR(r.recording.axis.interval, 3600, 1e-6);
    EXPECT_EQ(utc_text(*r.recording.zero_ns), "2026-12-01T00:00:00Z");
    EXPECT_TRUE(r.warns_of("date-order"));
  }
  // A heart rate a day, which would rise as hours behind its date.
  const WholeRecording daily = read_rows("Date,HR,Weight", [](int n) {
    return fmt::format("2026-{:02}-{:02},{},{}", 1 + n / 28, 1 + n % 28, 58 + n % 7, 70 + n % 3);
  });
  EXPECT_THAT(daily.names(), ElementsAre("HR", "Weight"));
}

}  // namespace
}  // namespace vprism::clock_pieces_test
