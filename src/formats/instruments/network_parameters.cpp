// network_parameters.cpp: see network_parameters.h.
//
//     ! comment
//     # GHz S MA R 50          unit of frequency, parameter, format (MA, DB, RI), reference resistance
//     1.0  0.9 -10  0.1 80 ... frequency and pairs: row by row of the matrix, columns first of two ports
//
// Behind the parameters of two ports noise parameters may follow, five numbers a line, their frequencies
// beginning anew. Version 2 has keywords in brackets: ports, order, triangle, noise data apart.
#include "formats/instruments/network_parameters.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "formats/files/input_file.h"
#include "formats/text/tables/table_source.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

constexpr std::uint64_t most_network_bytes = std::uint64_t{256} << 20;
constexpr std::size_t most_ports = 64;  // As many as most_channels allows.

std::string_view without_comment(std::string_view line) { return trimmed(line.substr(0, line.find('!'))); }

struct NetworkOptions {
  double hertz = 1e9;
  char parameter = 'S';
  std::string format = "ma";
  double resistance = 50;
  bool good = true;
};

NetworkOptions options_of(std::string_view line) {
  NetworkOptions out;
  std::vector<std::string_view> words;
  split_cells(line.substr(1), ' ', words);
  for (std::size_t i = 0; i < words.size(); ++i) {
    const std::string word = lower_case(words[i]);
    if (word == "hz" || word == "khz" || word == "mhz" || word == "ghz") {
      out.hertz = word == "hz" ? 1 : word == "khz" ? 1e3 : word == "mhz" ? 1e6 : 1e9;
    } else if (word == "ma" || word == "db" || word == "ri") {
      out.format = word;
    } else if (word.size() == 1 && std::string_view("syzgh").find(word[0]) != std::string_view::npos) {
      out.parameter = static_cast<char>(word[0] - 'a' + 'A');
    } else if (word == "r" && i + 1 < words.size()) {
      double value = 0;
      if (parse_cell(words[i + 1], '.', value) && value > 0) out.resistance = value, ++i;
      // Version 2 may give one for each port.
      while (i + 1 < words.size() && parse_cell(words[i + 1], '.', value)) ++i;
    } else {
      out.good = false;
    }
  }
  return out;
}

/// Of ".s2p"; 0 for any other name.
std::size_t ports_of_name(const std::string& path) {
  const std::size_t dot = path.rfind('.');
  if (dot == std::string::npos) return 0;
  const std::string tail = lower_case(path.substr(dot + 1));
  if (tail.size() < 3 || tail.size() > 5 || tail.back() != 'p' ||
      std::string_view("syzgh").find(tail[0]) == std::string_view::npos)
    return 0;
  std::size_t ports = 0;
  const char *from = tail.data() + 1, *to = tail.data() + tail.size() - 1;
  const auto [end, code] = std::from_chars(from, to, ports);
  return code == std::errc() && end == to && ports <= 9999 ? ports : 0;
}

class NetworkReader {
 public:
  NetworkReader(const FileHead& head, Recording& recording) : recording_(recording), path_(head.path) {
    InputFile file(head.path);
    text_ = file.text(0, static_cast<std::size_t>(file.size()));
    ports_ = ports_of_name(head.path);
  }

  TableInMemory read() {
    parse_lines();
    if (!ports_) ports_ = guessed_ports();
    if (ports_ == 0 || ports_ > most_ports)
      fail("it has " + std::to_string(ports_) + " ports",
           "name it .s2p, .s3p, ... by its ports, at most " + std::to_string(most_ports));
    if (two_port_order_ == Order::unknown && version_ >= 2 && ports_ == 2)
      fail("[Two-Port Data Order] is missing", "write it again");
    take_numbers();
    return std::move(table_);
  }

 private:
  enum class Order { unknown, by_rows, by_columns };
  enum class Matrix { full, lower, upper };

  [[noreturn]] void fail(const std::string& what, const std::string& remedy) const {
    throw Error(Status::input, path_ + ": damaged network parameters: " + what + "; " + remedy);
  }

  void keyword(std::string_view line, std::int64_t number) {
    const std::size_t close = line.find(']');
    if (close == std::string_view::npos)
      fail("line " + std::to_string(number) + " has no ]", "write it again");
    const std::string name = lower_case(trimmed(line.substr(1, close - 1)));
    const std::string value = lower_case(trimmed(line.substr(close + 1)));
    double count = 0;
    const bool counted =
        parse_cell(value, '.', count) && count >= 0 && count == std::floor(count) && count < 1e9;
    if (name == "version") version_ = value.starts_with("1") ? 1 : 2;
    if (name == "number of ports") {
      if (!counted) fail("[Number of Ports] in line " + std::to_string(number), "write it again");
      ports_ = static_cast<std::size_t>(count);
    }
    if (name == "number of frequencies" && counted) promised_ = static_cast<std::int64_t>(count);
    if (name == "two-port data order" || name == "two-port order")
      two_port_order_ = value.starts_with("12") ? Order::by_rows : Order::by_columns;
    if (name == "matrix format")
      matrix_ = value == "lower" ? Matrix::lower : value == "upper" ? Matrix::upper : Matrix::full;
    in_data_ = name == "network data";
    if (name == "noise data") noisy_ = true;
  }

  void parse_lines() {
    std::string_view rest = text_;
    if (starts_with(rest, "\xEF\xBB\xBF")) rest.remove_prefix(3);
    bool option_seen = false;
    std::vector<std::string_view> cells;
    for (std::int64_t number = 1; !rest.empty(); ++number) {
      const std::size_t end = rest.find('\n');
      const std::string_view whole = rest.substr(0, end);
      rest.remove_prefix(end == std::string_view::npos ? rest.size() : end + 1);
      const std::string_view line = without_comment(whole);
      if (line.empty()) {
        const std::string_view note = trimmed(whole);
        if (note.size() > 1 && recording_.notes.size() < 50)
          recording_.notes.emplace_back("comment", clean_text(note.substr(1), 200));
        continue;
      }
      if (line[0] == '#') {
        if (!option_seen) options_ = options_of(line);
        option_seen = true;
        continue;
      }
      if (line[0] == '[') {
        keyword(line, number);
        continue;
      }
      if (version_ >= 2 && !in_data_) continue;  // [Reference] and [Noise Data] have numbers too.
      split_cells(line, ' ', cells);
      lengths_.push_back(cells.size());
      for (const std::string_view cell : cells) {
        double value = 0;
        if (!parse_cell(cell, '.', value))
          throw Error(Status::input, path_ + ":" + std::to_string(number) + ": \"" + clean_text(cell, 40) +
                                         "\" is not a number; correct it, or export the data without it");
        numbers_.push_back(value);
      }
    }
  }

  /// Without a telling name: a line of 3 numbers is one port, of 9 two; three and more go over several lines.
  std::size_t guessed_ports() const {
    if (lengths_.empty()) return 0;
    if (lengths_[0] == 3) return 1;
    if (lengths_[0] == 9 && (lengths_.size() < 2 || lengths_[1] == 9 || lengths_[1] == 5)) return 2;
    // Rows of as many pairs as there are ports, no more than four in a line; only the first has a frequency.
    std::size_t sum = lengths_[0];
    for (std::size_t i = 1; i < lengths_.size() && lengths_[i] % 2 == 0; ++i) sum += lengths_[i];
    const auto ports = static_cast<std::size_t>(std::llround(std::sqrt(static_cast<double>(sum - 1) / 2)));
    return 2 * ports * ports + 1 == sum ? ports : 0;
  }

  /// Row and column of the pair with this number.
  std::pair<std::size_t, std::size_t> place_of(std::size_t pair) const {
    if (matrix_ != Matrix::full) {
      std::size_t row = 0, at = pair;
      for (;; ++row) {
        const std::size_t in_row = matrix_ == Matrix::lower ? row + 1 : ports_ - row;
        if (at < in_row) break;
        at -= in_row;
      }
      return {row, matrix_ == Matrix::lower ? at : row + at};
    }
    const bool by_columns =
        ports_ == 2 &&
        two_port_order_ != Order::by_rows;  // As version 1 has it, and no other number of ports.
    return by_columns ? std::pair(pair % 2, pair / 2) : std::pair(pair / ports_, pair % ports_);
  }

  std::complex<double> value_of(double a, double b) const {
    if (options_.format == "ri") return {a, b};
    // A magnitude may well be written with a minus.
    const double turn = b * std::numbers::pi / 180;
    return (options_.format == "db" ? std::pow(10, a / 20) : a) *
           std::complex(std::cos(turn), std::sin(turn));
  }

  void take_numbers() {
    const std::size_t pairs = matrix_ == Matrix::full ? ports_ * ports_ : ports_ * (ports_ + 1) / 2,
                      each = 1 + 2 * pairs;
    const char letter = options_.parameter;
    const bool normalised = version_ < 2 && (letter == 'Z' || letter == 'Y');
    const double factor = !normalised ? 1 : letter == 'Z' ? options_.resistance : 1 / options_.resistance;
    for (std::size_t k = 0; k < pairs; ++k) {
      const auto [row, column] = place_of(k);
      Channel channel;
      channel.name = std::string(1, letter) + std::to_string(row + 1) + (ports_ > 9 ? "_" : "") +
                     std::to_string(column + 1);
      if (letter == 'Z') channel.unit = Unit::parse("ohm");
      if (letter == 'Y') channel.unit = Unit::parse("S");
      channel.quantity = quantity_of(channel.unit);
      table_.channels.push_back(std::move(channel));
    }
    table_.columns.assign(2 * pairs, {});
    table_.complex = true, table_.frequencies = true, table_.axis_name = "frequency";
    table_.axis_source = "first column";
    std::size_t at = 0, sets = 0;
    for (; at + each <= numbers_.size(); at += each, ++sets) {
      const double hz = numbers_[at] * options_.hertz;
      if (!table_.axis.empty() && hz <= table_.axis.back()) break;
      table_.axis.push_back(hz);
      for (std::size_t k = 0; k < pairs; ++k) {
        const std::complex<double> value =
            factor * value_of(numbers_[at + 1 + 2 * k], numbers_[at + 2 + 2 * k]);
        table_.columns[k].push_back(value.real());
        table_.columns[pairs + k].push_back(value.imag());
      }
    }
    if (sets == 0)
      fail("no whole set of parameters for " + std::to_string(ports_) + " ports", "check its name");
    report(at, letter);
  }

  void report(std::size_t used, char letter) {
    const std::size_t left = numbers_.size() - used;
    const bool noise = noisy_ || (ports_ == 2 && left > 0 && left % 5 == 0);
    if (noise)
      recording_.cautions.push_back(
          {"sets-left-out", Severity::note, "", "its noise parameters are left out", ""});
    else if (left > 0)
      recording_.cautions.push_back(
          {"values-left-out", Severity::warning, "",
           std::to_string(left) + " numbers behind the last whole set of " + std::to_string(ports_) +
               " ports are left out",
           "the file may be cut, or have another number of ports than its name says"});
    if (promised_ >= 0 && promised_ != static_cast<std::int64_t>(table_.axis.size()))
      recording_.cautions.push_back({"length-disagrees", Severity::warning, "",
                                     "the header promises " + std::to_string(promised_) + " frequencies; " +
                                         std::to_string(table_.axis.size()) + " are there",
                                     "write it again if the rest is wanted"});
    if (!options_.good)
      recording_.cautions.push_back({"options-unknown", Severity::warning, "",
                                     "words of its option line are not known and not obeyed",
                                     "check unit, format and reference in what inspect shows"});
    if (version_ < 2 && (letter == 'G' || letter == 'H'))
      recording_.cautions.push_back({"normalised", Severity::note, "",
                                     "hybrid parameters are kept as the file has them: normalised to " +
                                         format_number(options_.resistance, 6) + " ohm",
                                     ""});
    recording_.notes.emplace_back("reference", format_number(options_.resistance, 6) + " ohm");
    recording_.notes.emplace_back("ports", std::to_string(ports_));
  }

  Recording& recording_;
  std::string path_, text_;
  std::size_t ports_ = 0;
  int version_ = 1;
  bool in_data_ = true, noisy_ = false;
  Order two_port_order_ = Order::unknown;
  Matrix matrix_ = Matrix::full;
  std::int64_t promised_ = -1;
  NetworkOptions options_;
  std::vector<double> numbers_;
  std::vector<std::size_t> lengths_;
  TableInMemory table_;
};

}  // namespace

bool recognises_network_parameters(const FileHead& head) {
  const bool named = ports_of_name(head.path) > 0;
  std::string_view text = head.bytes;
  if (starts_with(text, "\xEF\xBB\xBF")) text.remove_prefix(3);
  while (!text.empty()) {
    const std::size_t end = text.find('\n');
    const std::string_view line = without_comment(text.substr(0, end));
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    if (line.empty()) continue;
    if (line[0] == '[' && lower_case(line).starts_with("[version]")) return true;
    if (line[0] != '#')
      return named && line.find_first_not_of("0123456789+-.eE \t\r") == std::string_view::npos;
    const NetworkOptions options = options_of(line);
    const std::string low = lower_case(line);
    return options.good && (named || (low.find("hz") != std::string::npos &&
                                      (low.find(" r ") != std::string::npos || low.size() < 12)));
  }
  return false;
}

std::unique_ptr<SampleSource> open_network_parameters(const FileHead& head, const ReadSettings& settings) {
  if (head.size > most_network_bytes)
    throw Error(Status::input,
                head.path + ": network parameters of more than 256 MB; export fewer frequencies");
  Recording recording;
  recording.file = head.path;
  recording.format = "network parameters";
  TableInMemory table = NetworkReader(head, recording).read();
  return open_table(std::move(recording), std::move(table), settings);
}

}  // namespace vprism
