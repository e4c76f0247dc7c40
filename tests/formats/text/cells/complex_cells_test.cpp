// complex_cells_test.cpp: complex numbers within one cell, in the ways they are written.
#include "formats/text/cells/complex_cells.h"

#include <gmock/gmock.h>

#include <cmath>
#include <functional>

#include "formats/reading.h"

namespace vprism::complex_cells_test {
namespace {

using Complex = std::complex<double>;

TEST(ParseComplex, KnowsTheWaysOfWritingOne) {
  const double half = std::sqrt(0.5);
  const std::pair<const char*, Complex> written[] = {{"1.2-0.3j", {1.2, -0.3}},
                                                     {"(1.2-0.3i)", {1.2, -0.3}},
                                                     {" \"1.2 - 0.3i\" ", {1.2, -0.3}},
                                                     {"1.2+j0.3", {1.2, 0.3}},
                                                     {"1.2 - j*0.3", {1.2, -0.3}},
                                                     {"(1.2,-0.3)", {1.2, -0.3}},
                                                     {"( -1e-3 , +2E2 )", {-1e-3, 200}},
                                                     {"2<45deg", {2 * half, 2 * half}},
                                                     {"2\xE2\x88\xA0"
                                                      "45\xC2\xB0",
                                                      {2 * half, 2 * half}},
                                                     {"1<1.5707963267948966rad", {0, 1}},
                                                     {"20dB,90\xC2\xB0", {0, 10}},
                                                     {"-0.5i", {0, -0.5}},
                                                     {"1.5\xE2\x88\x92"
                                                      "2i",
                                                      {1.5, -2}},
                                                     {"-j", {0, -1}}};
  for (const auto& [text, value] : written) {
    const auto read = parse_complex(text, '.');
    ASSERT_TRUE(read.has_value()) << text;
    EXPECT_NEAR(std::abs(*read - value), 0, 1e-12 * (1 + std::abs(value))) << text;
  }
  EXPECT_EQ(parse_complex("1,2-0,3j", ','), Complex(1.2, -0.3));
  for (const char* other : {"1.2", "2024-01-02", "1.2-0.3", "(1,2,3)", "3i4", "12in", "x+1j", "", "i2c",
                            "(1 2)", "-3dB", "1.2-0.3jj", "12:30"})
    EXPECT_FALSE(parse_complex(other, '.').has_value() && std::string(other) != "") << other;
}

struct Case {
  const char* head;
  std::function<std::string(double, Complex)> row;
};

std::string printed(const char* format, double a, double b) {
  char text[80];
  std::snprintf(text, sizeof text, format, a, b);
  return text;
}

TEST(ComplexCells, AreChannelsWhateverPartsThem) {
  const Case cases[] = {
      {"frequency (Hz),V(out) (V)\n",
       [](double f, Complex z) { return printed("%g,", f, 0) + printed("%.9g%+.9gj", z.real(), z.imag()); }},
      {"frequency V(out)\n",
       [](double f, Complex z) { return printed("%g ", f, 0) + printed("(%.9e,%.9e)", z.real(), z.imag()); }},
      {"Freq.\tV(out)\n",
       [](double f, Complex z) {
         return printed("%g\t", f, 0) +
                printed("(%.9fdB,%.9f\xC2\xB0)", 20 * std::log10(std::abs(z)), std::arg(z) * 180 / M_PI);
       }},
      {"# frequency V(out)\n",
       [](double f, Complex z) { return printed("%g ", f, 0) + printed("%.9g%+.9gi", z.real(), z.imag()); }},
      {"f (Hz);V(out)\n", [](double f, Complex z) {
         std::string text = printed("%g;", f, 0) + printed("%.9g%+.9gi", z.real(), z.imag());
         for (char& c : text)
           if (c == '.') c = ',';
         return text;
       }}};
  const ScratchFolder folder;
  for (const Case& one : cases) {
    std::string text = one.head;
    std::vector<Complex> truth;
    for (int i = 1; i <= 150; ++i) {
      const double f = 10.0 * i;
      truth.push_back(1.0 / Complex(1 - f * f / 1e6, 0.04 * f / 1e3));
      text += one.row(f, truth.back()) + "\n";
    }
    const WholeRecording r = read_file(folder.write("x.csv", text));
    ASSERT_TRUE(r.recording.complex) << one.head;
    ASSERT_EQ(r.recording.channels.size(), 1u) << one.head;
    EXPECT_EQ(r.recording.channels[0].name, "V(out)") << one.head;
    EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency) << one.head;
    ASSERT_EQ(r.columns[0].size(), truth.size()) << one.head;
    for (std::size_t i = 0; i < truth.size(); ++i)
      ASSERT_NEAR(std::abs(Complex(r.columns[0][i], r.columns[1][i]) - truth[i]), 0, 1e-7) << one.head << i;
  }
}

TEST(ComplexCells, AreLeftAsVectorsWhereAskedFor) {
  const ScratchFolder folder;
  std::string text;
  for (int i = 0; i < 50; ++i)
    text += printed("%.3f ", i * 1e-3, 0) + printed("(%.5f,%.5f)\n", std::cos(i), std::sin(i));
  const std::string path = folder.write("v.txt", text);
  EXPECT_TRUE(read_file(path).recording.complex);
  ReadSettings settings;
  settings.complex = "off";
  const WholeRecording r = read_file(path, settings);
  EXPECT_FALSE(r.recording.complex);
  EXPECT_EQ(r.columns.size(), 2u);
}

TEST(ComplexCells, OfALongFileAreReadBeyondItsHead) {
  const ScratchFolder folder;
  std::string text = "time (s),z\n";
  constexpr int rows = 60000;
  for (int i = 0; i < rows; ++i)
    text += printed("%.4f,", i * 1e-4, 0) + printed("%.6f%+.6fj\n", std::cos(i), std::sin(i));
  const WholeRecording r = read_file(folder.write("long.csv", text));
  ASSERT_TRUE(r.recording.complex);
  ASSERT_EQ(r.recording.samples, rows);
  EXPECT_NEAR(r.columns[1][rows - 1], std::sin(rows - 1), 1e-6);
  EXPECT_NEAR(r.recording.axis.interval, 1e-4, 1e-12);
}

}  // namespace
}  // namespace vprism::complex_cells_test
