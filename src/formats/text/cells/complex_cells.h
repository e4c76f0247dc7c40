// complex_cells.h: text tables whose cells are complex numbers, made into tables of real and imaginary parts.
#pragma once

#include <complex>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace vprism {

/// "1.2-0.3j", "(1.2-0.3i)", "1.2+j0.3", "(1.2,-0.3)", "1.2<-45deg", "-3.2dB,45°": what is written as a
/// complex number. A number with neither imaginary part nor angle is none.
std::optional<std::complex<double>> parse_complex(std::string_view cell, char decimal);

/// How the lines of a table are taken apart and put together again: in place of each cell with a complex
/// number stand two.
class ComplexCells {
 public:
  /// From the last lines of a table's head; nothing where no column holds complex numbers throughout.
  /// `delimiter` and `decimal`: as asked for, 0 to find them.
  static std::optional<ComplexCells> found_in(const std::vector<std::string_view>& lines, char delimiter,
                                              char decimal);
  /// The line with real and imaginary part, or with its titles twice; lines of another form stay as they are.
  void rewrite(std::string_view line, std::string& out) const;
  char delimiter() const { return delimiter_; }
  /// Cells, within rewritten lines, that hold real parts; the imaginary ones stand behind them.
  std::vector<std::size_t> real_cells() const;

 private:
  char delimiter_ = ',', decimal_ = '.';
  std::size_t cells_ = 0;             ///< In a line as it is written.
  std::vector<std::size_t> complex_;  ///< Of these, ascending.
};

}  // namespace vprism
