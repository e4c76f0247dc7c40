// Text: cleaning, number formats, suggestions, tables.
#include "base/text.h"

#include <gtest/gtest.h>

#include "base/error.h"

namespace vprism::text_test {
namespace {

TEST(CleanText, ControlsBrokenUtf8AndDirectionMarksAreTakenOut) {
  EXPECT_EQ(clean_text("a\x1b[31mb\n"), "a [31mb ");
  EXPECT_EQ(clean_text("a\xff"
                       "b"),
            "a\uFFFDb");
  EXPECT_EQ(clean_text("a\xC2\x9B"
                       "b"),
            "a b");
  EXPECT_EQ(clean_text("a\u202Eb"), "a b");
  EXPECT_EQ(clean_text("\u00B5V \u03A9"), "\u00B5V \u03A9");
  EXPECT_EQ(clean_text("abcdef", 3), "abc...");
}

TEST(CleanFileName, HoldsNoPath) {
  EXPECT_EQ(clean_file_name("../../etc/passwd"), "etc-passwd");
  EXPECT_EQ(clean_file_name("$(rm -rf)"), "rm-rf");
  EXPECT_EQ(clean_file_name("..."), "unnamed");
}

TEST(FormatQuantity, ChoosesThePrefix) {
  EXPECT_EQ(format_quantity(1.79e308, "V", 3), "1.79e+296 TV");
  EXPECT_EQ(format_quantity(2500, "Hz"), "2.5 kHz");
  EXPECT_EQ(format_quantity(2e-5, "s"), "20 us");
  EXPECT_EQ(format_quantity(999.9999, "Hz", 7), "999.9999 Hz");
  EXPECT_EQ(format_quantity(1000, "Hz"), "1 kHz");
  EXPECT_EQ(format_quantity(0.05, "m/s\u00B2"), "0.05 m/s\u00B2");
  EXPECT_EQ(format_quantity(3, "1"), "3");
  EXPECT_EQ(format_quantity(0, "V"), "0 V");
  EXPECT_EQ(format_quantity(2000, "mV"), "2000 mV");
}

TEST(FormatUncertain, ShowsTheDigitsTheUncertaintyAllows) {
  EXPECT_EQ(format_uncertain(49.98312, 0.0042, "Hz"), "49.9831 \u00B1 0.0042 Hz");
  EXPECT_EQ(format_uncertain(20008.0007, 2.5, "Hz"), "20.0080 \u00B1 0.0025 kHz");
  EXPECT_EQ(format_uncertain(1.5, 0, "V"), "1.5 V");
}

TEST(NearestName, FindsTyposAndStaysSilentOtherwise) {
  const std::vector<std::string> windows = {"rectangular", "hann", "hamming", "flat-top"};
  EXPECT_EQ(nearest_name("hanning", windows), "hann");
  EXPECT_EQ(nearest_name("flattop", windows), "flat-top");
  EXPECT_EQ(nearest_name("rect", windows), "rectangular");
  EXPECT_EQ(nearest_name("xyzzy", windows), "");
  EXPECT_EQ(edit_distance("ab", "ba"), 1u);
}

TEST(TextTable, AlignsByDisplayWidth) {
  TextTable table({{"name", TextTable::Align::left}, {"x"}});
  table.add({"\u00B5", "1"});
  table.add({"long", "10"});
  EXPECT_EQ(table.text(""), "name   x\n----  --\n\u00B5      1\nlong  10\n");
}

TEST(BarLine, FollowsTheLargestOfEachStretch) {
  EXPECT_EQ(bar_line({0, 1, 0.5, 0}, 0, 1, 4), "\u2581\u2588\u2585\u2581");
  EXPECT_EQ(bar_line({0, 1, 0, 0}, 0, 1, 2), "\u2588\u2581");
  EXPECT_EQ(bar_line({std::nan(""), 1}, 0, 1, 2), " \u2588");
  EXPECT_EQ(bar_line({3, 3}, 3, 3, 8), "\u2581\u2581");
}

}  // namespace
}  // namespace vprism::text_test
