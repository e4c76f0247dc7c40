// universal.cpp: the walk through a universal file. See universal.h for the layout.
#include "formats/instruments/universal.h"

#include <fast_float/fast_float.h>

#include <array>
#include <charconv>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

[[noreturn]] void damaged(const InputFile& file, std::uint64_t at, const std::string& what) {
  throw Error(Status::input, file.name() + ": damaged universal file near byte " + std::to_string(at) + ": " +
                                 what + "; export it again");
}

/// Fixed columns of a line; what lies beyond its end is blank.
class Columns {
 public:
  Columns(const InputFile& file, std::uint64_t at, const std::string& line)
      : file_(&file), at_(at), line_(line) {}
  std::string_view take(std::size_t width) {
    const std::string_view rest = next_ < line_.size() ? std::string_view(line_).substr(next_) : "";
    next_ += width;
    return rest.substr(0, width);
  }
  long long integer(std::size_t width) {
    const std::string_view text = trimmed(take(width));
    if (text.empty()) return 0;
    const std::string_view bare = text.front() == '+' ? text.substr(1) : text;
    long long value = 0;
    const auto [end, code] = std::from_chars(bare.data(), bare.data() + bare.size(), value);
    if (code != std::errc() || end != bare.data() + bare.size())
      damaged(*file_, at_, "\"" + clean_text(text) + "\" is no whole number");
    return value;
  }
  double number(std::size_t width) {
    std::string text(trimmed(take(width)));
    if (text.empty()) return 0;
    for (char& c : text)
      if (c == 'D' || c == 'd') c = 'E';
    double value = 0;
    const char* from = text.data() + (text.front() == '+' ? 1 : 0);
    const auto [end, code] = fast_float::from_chars(from, text.data() + text.size(), value);
    if (code != std::errc() || end != text.data() + text.size() || !std::isfinite(value))
      damaged(*file_, at_, "\"" + clean_text(text) + "\" is no number");
    return value;
  }
  std::string text(std::size_t width) { return clean_text(trimmed(take(width))); }

 private:
  const InputFile* file_;
  std::uint64_t at_;
  const std::string& line_;
  std::size_t next_ = 0;
};

bool is_mark(const std::string& line) { return line.size() <= 82 && trimmed(line) == "-1"; }

int small(long long value) { return value < -1000 || value > 1000 ? 0 : static_cast<int>(value); }

UniversalFunction read_function(const InputFile& file, LineReader& lines, const std::string& first) {
  UniversalFunction f;
  std::array<std::string, 11> rows;
  const std::uint64_t at = lines.offset();
  for (std::string& row : rows)
    if (!lines.get(row) || is_mark(row)) damaged(file, lines.offset(), "the header of data set 58 is cut");
  for (std::size_t i = 0; i < 5; ++i) f.texts[i] = clean_text(trimmed(rows[i]));
  Columns six(file, at, rows[5]);
  f.type = small(six.integer(5));
  six.take(10 + 5 + 10);
  six.take(1);
  f.response_entity = six.text(10);
  f.response_node = six.integer(10);
  f.response_direction = small(six.integer(4));
  six.take(1);
  f.reference_entity = six.text(10);
  f.reference_node = six.integer(10);
  f.reference_direction = small(six.integer(4));
  Columns seven(file, at, rows[6]);
  const long long kind = seven.integer(10), values = seven.integer(10);
  f.even = seven.integer(10) == 1;
  f.minimum = seven.number(13);
  f.increment = seven.number(13);
  if (kind != 2 && kind != 4 && kind != 5 && kind != 6)
    damaged(file, at, "data type " + std::to_string(kind));
  f.complex = kind >= 5;
  f.wide = kind == 4 || kind == 6;
  if (values < 1) damaged(file, at, std::to_string(values) + " values");
  f.values = static_cast<std::uint64_t>(values);
  Columns eight(file, at, rows[7]), nine(file, at, rows[8]), ten(file, at, rows[9]);
  f.abscissa_kind = small(eight.integer(10));
  eight.take(16);
  f.abscissa_label = eight.text(20);
  eight.take(1);
  f.abscissa_unit = eight.text(20);
  f.ordinate_kind = small(nine.integer(10));
  nine.take(16);
  f.ordinate_label = nine.text(20);
  nine.take(1);
  f.ordinate_unit = nine.text(20);
  f.denominator_kind = small(ten.integer(10));
  ten.take(16 + 20 + 1);
  f.denominator_unit = ten.text(20);
  f.data = lines.offset();
  if (first.size() > 6 && (first[6] == 'b' || first[6] == 'B')) {
    Columns header(file, at, first);
    header.take(7);
    f.binary = true;
    f.big = header.integer(6) == 2;
    const long long format = header.integer(6);
    if (format != 2 && format != 0)
      throw Error(Status::input, file.name() + ": data set 58b in number format " + std::to_string(format) +
                                     "; only IEEE (2) can be read: export it so, or as text");
    header.take(12);
    const long long bytes = header.integer(12);
    if (bytes < 0) damaged(file, at, "a block of " + std::to_string(bytes) + " bytes");
    f.data_bytes = static_cast<std::uint64_t>(bytes);
  }
  return f;
}

void read_nodes(const InputFile& file, LineReader& lines, std::vector<Node>& nodes) {
  std::string line;
  for (;;) {
    const std::uint64_t at = lines.offset();
    if (!lines.get(line)) damaged(file, at, "data set 15 has no end");
    if (is_mark(line)) return;
    Columns row(file, at, line);
    Node node;
    node.label = row.integer(10);
    row.take(30);
    node.x = row.number(13);
    node.y = row.number(13);
    node.z = row.number(13);
    nodes.push_back(node);
  }
}

}  // namespace

std::string direction_name(int direction) {
  static constexpr const char* names[] = {"", "X", "Y", "Z", "RX", "RY", "RZ"};
  const int axis = std::abs(direction);
  if (axis == 0 || axis > 6) return "";
  return (direction < 0 ? "-" : "+") + std::string(names[axis]);
}

std::uint64_t UniversalFunction::binary_stride() const {
  const std::uint64_t value = (wide ? 8u : 4u) * (complex ? 2u : 1u);
  if (even) return value;
  // The abscissa of an uneven function is single as a rule; the block's length tells when it is not.
  return value + (wide && data_bytes == values * (value + 8) ? 8 : 4);
}

UniversalFile index_universal(const InputFile& file) {
  UniversalFile out;
  LineReader lines(file);
  std::string line;
  while (lines.get(line)) {
    if (trimmed(line).empty()) continue;
    if (!is_mark(line)) damaged(file, lines.offset(), "a line \"    -1\" expected before a data set");
    if (!lines.get(line)) break;
    const std::string number(trimmed(line.substr(0, 6)));
    if (number == "58") {
      UniversalFunction f = read_function(file, lines, line);
      if (f.binary) {
        if (f.data_bytes > file.size() - f.data)
          throw Error(Status::input, file.name() + ": cut short: a block of " + std::to_string(f.data_bytes) +
                                         " bytes is promised at byte " + std::to_string(f.data) + ", " +
                                         std::to_string(file.size() - f.data) + " are there");
        f.held = f.data_bytes / f.binary_stride();
        lines = LineReader(file, f.data + f.data_bytes);
      }
      out.functions.push_back(std::move(f));
      if (out.functions.size() > 100000) damaged(file, lines.offset(), "more than 100000 functions");
    } else if (number == "15") {
      read_nodes(file, lines, out.nodes);
      continue;
    } else {
      out.skipped.push_back(std::atoi(number.c_str()));
    }
    // To the line that ends the data set. A binary block may end in the middle of a line.
    UniversalFunction* const text =
        number == "58" && !out.functions.back().binary ? &out.functions.back() : nullptr;
    bool ended = false;
    while (!ended && lines.get(line)) {
      ended = is_mark(line);
      if (text == nullptr || ended) continue;
      const std::size_t end = line.find_last_not_of(" \t\r") + 1;
      text->held += (end + text->text_width() - 1) / text->text_width();
    }
    if (!ended) damaged(file, lines.offset(), "data set " + number + " has no end: the file is cut");
  }
  return out;
}

}  // namespace vprism
