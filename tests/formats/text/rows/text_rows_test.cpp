// Rows of text as numbers, against the C library's reading of the same text.
#include "formats/text/rows/text_rows.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <random>
#include <string>

namespace vprism::text_rows_test {
namespace {

/// A table of so many columns, all of them data, the first an axis where it is asked for.
TextLayout layout_of(std::size_t columns, char delimiter = ',', char decimal = '.', bool axis = false) {
  TextLayout layout;
  layout.delimiter = delimiter;
  layout.decimal = decimal;
  for (std::size_t c = 0; c < columns; ++c) {
    layout.cells.push_back(c);
    layout.columns.emplace_back();
  }
  if (axis) layout.time = 0;
  return layout;
}

TextPiece parsed(const std::string& text, const TextLayout& layout, bool missing_allowed = false) {
  TextPiece piece;
  parse_text_piece(text, layout, missing_allowed, piece);
  return piece;
}

TEST(TextRows, NumbersAreReadToTheLastBit) {
  // Written in many ways, with as many digits as it takes; strtod is right to the last bit too.
  std::mt19937_64 dice(1);
  std::string text;
  std::vector<double> expected;
  for (int n = 0; n < 20000; ++n) {
    const std::uint64_t bits = dice();
    double value = 0;
    std::memcpy(&value, &bits, sizeof value);
    if (!std::isfinite(value)) continue;
    if (n % 4 != 0) value = std::ldexp(static_cast<double>(static_cast<std::int64_t>(bits)), -40 - n % 30);
    char cell[400];
    const char* const formats[] = {"%.17g", "%.9f", "%+.3e", "%.15g"};
    std::snprintf(cell, sizeof cell, formats[n % 4], value);
    text += std::string(cell) + "\n";
    expected.push_back(std::strtod(cell, nullptr));
  }
  const TextPiece piece = parsed(text, layout_of(1));
  ASSERT_EQ(piece.rows, expected.size());
  for (std::size_t n = 0; n < expected.size(); ++n) ASSERT_EQ(piece.columns[0][n], expected[n]) << n;
}

TEST(TextRows, DelimitersAndDecimalMarks) {
  struct Case {
    const char* text;
    char delimiter, decimal;
  };
  for (const Case& c :
       {Case{"1.5,-2,3e2\n4,5,.5\n", ',', '.'}, Case{"1,5;-2;3e2\n4;5;,5\n", ';', ','},
        Case{"  1.5   -2\t3e2\n4 5 .5  \n", ' ', '.'}, Case{"1.5\t-2\t3e2\n4\t5\t.5\n", '\t', '.'},
        Case{"\"1.5\",\"-2\",3e2\r\n4 , 5,+0.5\r\n", ',', '.'}}) {
    const TextPiece piece = parsed(c.text, layout_of(3, c.delimiter, c.decimal));
    ASSERT_EQ(piece.rows, 2u) << c.text;
    EXPECT_EQ(piece.bad_rows, 0) << c.text;
    EXPECT_EQ(piece.columns[0][0], 1.5);
    EXPECT_EQ(piece.columns[1][0], -2);
    EXPECT_EQ(piece.columns[2][0], 300);
    EXPECT_EQ(piece.columns[2][1], 0.5);
  }
}

TEST(TextRows, BlankLinesAndCommentsArePassedOverButCounted) {
  const TextPiece piece = parsed("1,2\n\n# a note, 7\n% another\n   \n3,4", layout_of(2));
  EXPECT_EQ(piece.rows, 2u);
  EXPECT_EQ(piece.lines, 6);
  EXPECT_EQ(piece.columns[1][1], 4);
}

TEST(TextRows, ARowThatIsBadIsToldWithLineCellAndText) {
  const TextPiece piece = parsed("1,2\n3,4\n5,x7\n8,9\n10\n", layout_of(2));
  EXPECT_EQ(piece.rows, 2u);  // Those before the first bad one.
  EXPECT_EQ(piece.bad_rows, 2);
  EXPECT_EQ(piece.good_after_bad, 1);
  EXPECT_EQ(piece.bad.line, 3);
  EXPECT_EQ(piece.bad.cell, 2u);  // Counted from 1, as people do.
  EXPECT_EQ(piece.bad.text, "x7");
  EXPECT_TRUE(piece.bad.missing);
  // A time that is none can't be let pass.
  EXPECT_FALSE(parsed("1,2\nx7,4\n5,6\n", layout_of(2, ',', '.', true)).bad.missing);
}

TEST(TextRows, WordsForMissingNumbersAreGapsWhereTheyMayBe) {
  const std::string text = "0,1,2\n1,,5\n2,--,NaN\n3,4,6\n";
  const TextPiece strict = parsed(text, layout_of(3, ',', '.', true));
  EXPECT_TRUE(strict.bad.missing);
  EXPECT_EQ(strict.rows, 1u);
  const TextPiece open = parsed(text, layout_of(3, ',', '.', true), true);
  EXPECT_EQ(open.bad_rows, 0);
  ASSERT_EQ(open.rows, 4u);
  EXPECT_TRUE(std::isnan(open.columns[1][1]));
  EXPECT_TRUE(std::isnan(open.columns[2][2]));
  EXPECT_EQ(open.columns[2][3], 6);
  EXPECT_EQ(open.missing[1], 2);
  EXPECT_EQ(open.missing[2], 1);
  EXPECT_EQ(open.first_missing[1], 2);
  EXPECT_TRUE(open.any_missing());
  // The axis itself must always be there.
  EXPECT_EQ(parsed("0,1\n,2\n", layout_of(2, ',', '.', true), true).bad_rows, 1);
}

TEST(TextRows, TheAxisTakesItsFactorAndTellsItsLastDigit) {
  TextLayout layout = layout_of(2, ',', '.', true);
  layout.time_factor = 1e-3;  // Milliseconds.
  const TextPiece piece = parsed("0.25,1\n0.50,2\n0.75,3\n", layout);
  EXPECT_DOUBLE_EQ(piece.columns[0][2], 0.75e-3);
  EXPECT_NEAR(piece.printed_step, 0.01, 1e-15);  // As it is printed.
}

TEST(TextRows, OnlyTheCellsOfTheLayoutAreRead) {
  TextLayout layout = layout_of(2);
  layout.cells = {1, 3};
  const TextPiece piece = parsed("name,1,words,2,more\nother,3,,4,\n", layout);
  EXPECT_EQ(piece.bad_rows, 0);
  ASSERT_EQ(piece.rows, 2u);
  EXPECT_EQ(piece.columns[0][1], 3);
  EXPECT_EQ(piece.columns[1][1], 4);
}

}  // namespace
}  // namespace vprism::text_rows_test
