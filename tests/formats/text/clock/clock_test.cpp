// Dates and times as tables write them, against counted days.
#include "formats/text/clock/clock.h"

#include <gtest/gtest.h>

#include <cmath>

#include "formats/arrays/number_type.h"
#include "formats/format.h"

namespace vprism::clock_test {
namespace {

constexpr std::int64_t second = 1'000'000'000, day = 86400 * second;

TEST(Clock, DatesAreDaysSince1970) {
  EXPECT_EQ(parse_date("1970-01-01"), 0);
  EXPECT_EQ(parse_date("1970/01/02"), day);
  EXPECT_EQ(parse_date("1969-12-31"), -day);
  // 30 years with leap days in 1972, 76, 80, 84, 88, 92, 96.
  EXPECT_EQ(parse_date("2000-01-01"), (30 * 365 + 7) * day);
  // 2000 was a leap year, 1900 was not.
  EXPECT_EQ(*parse_date("2000-03-01") - *parse_date("2000-02-28"), 2 * day);
  EXPECT_EQ(*parse_date("1900-03-01") - *parse_date("1900-02-28"), day);
}

TEST(Clock, DaysOfTheYearAreDates) {
  EXPECT_EQ(parse_date("1970-001"), 0);
  EXPECT_EQ(parse_date("1971-365"), (2 * 365 - 1) * day);
  EXPECT_EQ(parse_date("1971-366"), std::nullopt);
  EXPECT_EQ(parse_date("2000-366"), *parse_date("2000-12-31"));
  EXPECT_EQ(parse_date_time("2024-085T23:59:59.5"), *parse_date_time("2024-03-25T23:59:59.5"));
  EXPECT_EQ(parse_time_of_day("75:30"), (75 * 60 + 30) * 60 * second);
}

TEST(Clock, DaysOfWeeksAreDates) {
  // The standard's own examples and years that begin on each side of a Thursday.
  EXPECT_EQ(parse_date("2008-W39-6"), parse_date("2008-09-27"));
  EXPECT_EQ(parse_date("2009-W01-1"), parse_date("2008-12-29"));
  EXPECT_EQ(parse_date("2009-W53-7"), parse_date("2010-01-03"));
  EXPECT_EQ(parse_date("2026-W31"), parse_date("2026-07-27"));
  EXPECT_EQ(parse_date("1969-W01-1"), parse_date("1968-12-30"));
  EXPECT_EQ(parse_date_time("2026-W31-3T12:00:01.5"), parse_date_time("2026-07-29T12:00:01.5"));
  for (const char* none : {"2026-W00-1", "2026-W54-1", "2026-W10-8", "2026-W", "2026-W1-1"})
    EXPECT_EQ(parse_date(none), std::nullopt) << none;
}

TEST(Clock, DurationsAsTheStandardWritesThem) {
  EXPECT_EQ(parse_time_of_day("PT1.5S"), 3 * second / 2);
  EXPECT_EQ(parse_time_of_day("PT2M"), 120 * second);
  EXPECT_EQ(parse_time_of_day("P1DT2H0.25S"), day + 7200 * second + second / 4);
  EXPECT_EQ(parse_time_of_day("PT"), std::nullopt);
  EXPECT_EQ(parse_time_of_day("1.5S"), std::nullopt);
}

TEST(Clock, MonthsByTheirNamesInSixLanguages) {
  const auto march = parse_date("2024-03-01"), may = parse_date("2024-05-01"),
             august = parse_date("2024-08-01"), december = parse_date("2024-12-01");
  for (const char* text : {"1 March 2024", "01. M\u00e4r. 2024", "1 M\u00e4rz 2024", "1 mars 2024",
                           "1 marzo 2024", "1 maart 2024"})
    EXPECT_EQ(parse_date(text), march) << text;
  for (const char* text : {"1-May-2024", "1. Mai 2024", "1 mayo 2024", "1 maggio 2024", "1 mei 2024"})
    EXPECT_EQ(parse_date(text), may) << text;
  for (const char* text : {"1 Aug 2024", "1 ao\u00fbt 2024", "1 agosto 2024"})
    EXPECT_EQ(parse_date(text), august) << text;
  for (const char* text : {"1 Dez 2024",
                           "1 d\u00e9"
                           "cembre 2024",
                           "1 dic 2024"})
    EXPECT_EQ(parse_date(text), december) << text;
  // June or July.
  EXPECT_FALSE(parse_date("1 jui 2024"));
  EXPECT_FALSE(parse_date("1 xyz 2024"));
}

TEST(Clock, ZonesByTheirLetters) {
  const auto utc = parse_date_time("2024-03-05 14:02:00");
  EXPECT_EQ(*parse_date_time("2024-03-05 15:02:00 CET"), *utc);
  EXPECT_EQ(*parse_date_time("2024-03-05 16:02:00 CEST"), *utc);
  EXPECT_EQ(*parse_date_time("2024-03-05 09:02:00.0 EST"), *utc);
  EXPECT_EQ(*parse_date_time("2024-03-05 14:02:00 UTC"), *utc);
  // What is not known leaves the clock as it stands; words are no zones.
  EXPECT_EQ(*parse_date_time("2024-03-05 14:02:00 XYZT"), *utc);
  EXPECT_FALSE(parse_date_time("2024-03-05 14:02:00 ok"));
  EXPECT_FALSE(parse_date_time("2024-03-05 14:02:00 Stopped"));
}

TEST(Clock, TimesOfDayHaveAnyNumberOfDigits) {
  EXPECT_EQ(parse_time_of_day("00:00:00"), 0);
  EXPECT_EQ(parse_time_of_day("06:54:19.250"), (6 * 3600 + 54 * 60 + 19) * second + 250'000'000);
  EXPECT_EQ(parse_time_of_day("23:59:59,999999999"), day - 1);
  // Nine digits count.
  EXPECT_EQ(parse_time_of_day("00:00:01.1234567891"), second + 123'456'789);
}

TEST(Clock, TogetherWithEveryPartingAndOffset) {
  const std::int64_t expected = *parse_date("2026-11-23") + *parse_time_of_day("06:54:19.250");
  for (const char* text : {"2026-11-23T06:54:19.250Z", "2026-11-23 06:54:19.250", "2026/11/23_06:54:19,25",
                           "2026-11-23T07:54:19.250+01:00", "2026-11-23T02:24:19.250-04:30"})
    EXPECT_EQ(parse_date_time(text), expected) << text;
}

TEST(Clock, StopwatchesGoBeyondADay) {
  EXPECT_EQ(parse_time_of_day("75:30.5"), (75 * 60 + 30) * 1000000000LL + 500000000);
  EXPECT_EQ(parse_time_of_day("30:15:20"), ((30 * 60 + 15) * 60 + 20) * 1000000000LL);
  EXPECT_EQ(parse_time_of_day("12:30"), (12 * 60 + 30) * 60 * 1000000000LL);  // Hours and minutes.
  // Whether these are minutes and seconds is settled by the whole column.
  EXPECT_EQ(parse_time_of_day("75:30"), (75 * 60 + 30) * 60 * 1000000000LL);
  for (const char* text : {"75:61", "75:61.5", "1:2:3.5", "12:30:15:20"})
    EXPECT_FALSE(parse_time_of_day(text)) << text;
}

TEST(Clock, CountsSinceAnEpochAreExact) {
  // 2024-03-25 23:59:58.5 UTC.
  const std::int64_t at = 1711411198500000000;
  EXPECT_EQ(parse_counted_time("1711411198.5", 1000000000, 0), at);
  EXPECT_EQ(parse_counted_time("1711411198500", 1000000, 0), at);
  EXPECT_EQ(parse_counted_time("1711411198500000123", 1, 0), at + 123);
  // Day 45376 of spreadsheets; Julian date 2460395.5 and modified 60395 are the midnight before the 26th.
  EXPECT_EQ(parse_counted_time("45376", day, 2 * 25569), 1711324800000000000);
  EXPECT_EQ(parse_counted_time("2460395.5", day, 2 * 2440587 + 1), 1711411200000000000);
  EXPECT_EQ(parse_counted_time("60395", day, 2 * 40587), 1711411200000000000);
  EXPECT_EQ(parse_counted_time("-0.25", 1000000000, 0), -250000000);
  for (const char* text : {"", ".", "1e9", "12x", "99999999999999999999"})
    EXPECT_FALSE(parse_counted_time(text, 1000000000, 0)) << text;
  EXPECT_EQ(utc_text(at), "2024-03-25T23:59:58.5Z");
  EXPECT_EQ(utc_text(-1), "1969-12-31T23:59:59.999999999Z");
}

TEST(Clock, InstantsBeyondWhatNanosecondsReachAreNone) {
  EXPECT_EQ(instant_after(500000000, 1.25), 1750000000);
  for (const double seconds : {1e300, -1e300, 9.21e9, std::nan("")})
    EXPECT_FALSE(instant_after(0, seconds)) << seconds;
  EXPECT_FALSE(instant_after(9000000000000000000, 9e8));
  for (const char* text : {"0001-01-01", "1066-10-14", "9999-12-31"}) EXPECT_FALSE(parse_date(text)) << text;
}

TEST(Clock, WhatIsNoDateIsNone) {
  for (const char* text : {"", "2026", "2026-13-01", "2026-02-30", "26-11-23", "2026-11-23x", "12:00"})
    EXPECT_FALSE(parse_date(text)) << text;
  for (const char* text : {"", "25:00h", "12:60:00", "12:00:61", "noon", "1.5"})
    EXPECT_FALSE(parse_time_of_day(text)) << text;
  EXPECT_FALSE(parse_date_time("2026-11-23"));
}

double decoded(const char* name, const std::string& bytes) {
  const NumberType* type = find_number_type(name);
  EXPECT_NE(type, nullptr) << name;
  double value = -1;
  type->decode(bytes.data(), type->size, 1, &value);
  return value;
}

TEST(NumberTypes, EveryByteOrderAndWidthByHand) {
  using namespace std::string_literals;
  EXPECT_EQ(decoded("u8", "\xff"s), 255);
  EXPECT_EQ(decoded("i8", "\xff"s), -1);
  EXPECT_EQ(decoded("i16le", "\x01\x80"s), -32767);
  EXPECT_EQ(decoded("i16be", "\x80\x01"s), -32767);
  EXPECT_EQ(decoded("u32le", "\x00\x00\x00\x80"s), 2147483648.0);
  EXPECT_EQ(decoded("i32be", "\xff\xff\xff\xfe"s), -2);
  EXPECT_EQ(decoded("i64le", "\xff\xff\xff\xff\xff\xff\xff\xff"s), -1);
  // 1.5 = 1.1b 2^0; half 0x3e00, single 0x3fc00000, double 0x3ff8...
  EXPECT_EQ(decoded("f16le", "\x00\x3e"s), 1.5);
  EXPECT_EQ(decoded("f32le", "\x00\x00\xc0\x3f"s), 1.5);
  EXPECT_EQ(decoded("f32be", "\x3f\xc0\x00\x00"s), 1.5);
  EXPECT_EQ(decoded("f64be", "\x3f\xf8\x00\x00\x00\x00\x00\x00"s), 1.5);
  // The least half: 2^-24.
  EXPECT_EQ(decoded("f16be", "\x00\x01"s), 1.0 / 16777216);
}

TEST(NumberTypes, StridesPassOverWhatLiesBetween) {
  const std::string bytes("\x01\x00\x63\x63\x02\x00\x63\x63\x03\x00", 10);
  double values[3] = {};
  find_number_type("u16le")->decode(bytes.data(), 4, 3, values);
  EXPECT_EQ(values[0], 1);
  EXPECT_EQ(values[1], 2);
  EXPECT_EQ(values[2], 3);
  EXPECT_EQ(find_number_type("u24le"), nullptr);
  EXPECT_EQ(find_number_type('i', 2, true), find_number_type("i16be"));
}

/// The user's rate wins, and is cautioned where it disagrees.
TEST(Settling, AGivenRateWinsOverTheFiles) {
  ReadSettings settings;
  Recording recording;
  recording.samples = 100;
  settle_interval(recording, settings, 0.01, "header");
  EXPECT_DOUBLE_EQ(recording.axis.interval, 0.01);
  EXPECT_EQ(recording.axis.source, "header");
  EXPECT_TRUE(recording.cautions.empty());
  settings.rate_hz = 200;
  settle_interval(recording, settings, 0.01, "header");
  EXPECT_DOUBLE_EQ(recording.axis.interval, 0.005);
  EXPECT_EQ(recording.axis.source, "--rate");
  EXPECT_EQ(recording.cautions.size(), 1u);
  settings = {};
  settings.duration_s = 2;
  Recording timed;
  timed.samples = 100;
  settle_interval(timed, settings, 0, "");
  EXPECT_DOUBLE_EQ(timed.axis.interval, 0.02);
}

}  // namespace
}  // namespace vprism::clock_test
