// Tables and texts on terminals that are narrower than they are.
#include <gmock/gmock.h>

#include "base/concise.h"
#include "base/text.h"
#include "base/text_width.h"

namespace vprism::text_table_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

/// The width of what is shown, for as long as it lives.
struct Narrow {
  explicit Narrow(std::size_t columns) { set_text_width(columns); }
  ~Narrow() { set_text_width(0); }
};

std::size_t widest_line(const std::string& text) {
  std::size_t widest = 0;
  for (const std::string& line : split(text, '\n')) widest = std::max(widest, display_width(line));
  return widest;
}

TextTable wide_table() {
  TextTable table({{"channel", TextTable::Align::left},
                   {"frequency (Hz)"},
                   {"level of the line (m/s\u00b2)"},
                   {"what it may be", TextTable::Align::left}});
  table.add({"mast", "31.1998", "0.3547", "a harmonic of the fan, or the pump's second order, folded"});
  table.add({"mirror cell", "62.4", "12.25", "short"});
  return table;
}

TEST(TableText, IsAsWideAsItsContentsWithoutATerminal) {
  EXPECT_EQ(widest_line(wide_table().text()), 2U + 11 + 2 + 14 + 2 + 24 + 2 + 57);
}

TEST(TableText, BreaksTitlesOfNumbersAndThenText) {
  for (const std::size_t columns : {100U, 80U, 60U, 50U}) {
    const Narrow narrow(columns);
    const std::string text = wide_table().text();
    EXPECT_LE(widest_line(text), columns) << text;
    for (const char* word : {"31.1998", "0.3547", "12.25", "harmonic", "folded", "mirror cell"})
      EXPECT_THAT(text, HasSubstr(word)) << text;
  }
}

TEST(TableText, OfManyNumbersGoesOnBelow) {
  std::vector<TextTable::Column> columns = {{"figure", TextTable::Align::left}};
  std::vector<std::string> row = {"RMS"};
  for (int i = 0; i < 12; ++i)
    columns.push_back({"channel " + std::to_string(i)}), row.push_back("1.2345 m/s");
  TextTable table(columns);
  table.add(row);
  const Narrow narrow(60);
  const std::string text = table.text();
  EXPECT_LE(widest_line(text), 60U) << text;
  std::size_t heads = 0;
  for (const std::string& line : split(text, '\n')) heads += line.rfind("  figure", 0) == 0 ? 1 : 0;
  EXPECT_GE(heads, 3U) << text;
  EXPECT_THAT(text, HasSubstr("11"));
}

TEST(DisplayWidth, CountsWhatATerminalShows) {
  EXPECT_EQ(display_width("m/s\u00b2"), 4U);
  EXPECT_EQ(display_width("\u4e2d\u6587"), 4U);  // Wide ones.
  EXPECT_EQ(display_width("e\u0301"), 1U);       // An accent over the letter before.
}

TEST(Concise, HasTheUncertaintysDigitsInParentheses) {
  EXPECT_EQ(format_concise(24.299994, 0.000024, "Hz"), "24.299994(24) Hz");
  EXPECT_EQ(format_concise(37.099, 0.064, "Hz"), "37.099(64) Hz");
  EXPECT_EQ(format_concise(275, 43, "Hz"), "275(43) Hz");
  EXPECT_EQ(format_concise(12.34, 1.4, "Hz"), "12.3(1.4) Hz");
  EXPECT_EQ(format_concise(5, 0, "Hz"), "5 Hz");
}

TEST(Folded, KeepsIndentsAndShortLines) {
  EXPECT_EQ(folded("short\n  one two three four", 14), "short\n  one two\n    three four");
  EXPECT_EQ(folded("a line of words", 0), "a line of words");
  EXPECT_THAT(wrapped("abcdefgh ij", 4), ElementsAre("abcd", "efgh", "ij"));
  EXPECT_THAT(wrapped("", 4), ElementsAre(""));
}

}  // namespace
}  // namespace vprism::text_table_test
