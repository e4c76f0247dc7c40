// comtrade_configuration.cpp: see comtrade_configuration.h.
#include "formats/instruments/comtrade_configuration.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"
#include "formats/format.h"
#include "signal/skew.h"

namespace vprism {

namespace {

class ConfigurationLines {
 public:
  ConfigurationLines(std::string name, const std::string& text)
      : name_(std::move(name)), lines_(split(text, '\n')) {}
  std::vector<std::string> get(const char* what, std::size_t least) {
    ++number_;
    if (number_ > lines_.size()) fail(std::string(what) + " expected, the file ends");
    std::vector<std::string> cells;
    for (const std::string& cell : split(lines_[number_ - 1], ','))
      cells.push_back(clean_text(trimmed(cell)));
    if (cells.size() < least)
      fail(std::string(what) + ": " + std::to_string(least) + " values expected, " +
           std::to_string(cells.size()) + " are there");
    return cells;
  }
  bool more() const { return number_ < lines_.size() && !trimmed(lines_[number_]).empty(); }
  double number(const std::string& cell, const char* what) const {
    double value = 0;
    const std::string_view text = trimmed(cell);
    const char* from = text.data() + (!text.empty() && text.front() == '+' ? 1 : 0);
    const auto [end, code] = fast_float::from_chars(from, text.data() + text.size(), value);
    if (text.empty() || code != std::errc() || end != text.data() + text.size() || !std::isfinite(value))
      fail("\"" + cell + "\" is no number (" + what + ")");
    return value;
  }
  std::uint64_t count(const std::string& cell, const char* what) const {
    const double value = number(cell, what);
    if (value < 0 || value != std::floor(value) || value > 1e15)
      fail("\"" + cell + "\" is no count (" + std::string(what) + ")");
    return static_cast<std::uint64_t>(value);
  }
  [[noreturn]] void fail(const std::string& what) const {
    throw Error(Status::input, name_ + ":" + std::to_string(number_) + ": damaged configuration: " + what +
                                   "; export it again");
  }

 private:
  std::string name_;
  std::vector<std::string> lines_;
  std::size_t number_ = 0;
};

/// Nanoseconds since 1970 of "dd/mm/yyyy","hh:mm:ss.ssssss"; false when the cells are no date.
bool parse_stamp(const std::vector<std::string>& cells, bool month_first, std::int64_t& out, bool& nano) {
  if (cells.size() < 2) return false;
  int p = 0, q = 0, year = 0, hour = 0, minute = 0;
  double second = 0;
  if (std::sscanf(cells[0].c_str(), "%2d/%2d/%4d", &p, &q, &year) != 3 ||
      std::sscanf(cells[1].c_str(), "%2d:%2d:%lf", &hour, &minute, &second) != 3)
    return false;
  if (year < 100) year += year < 70 ? 2000 : 1900;
  const int day = month_first ? q : p, month = month_first ? p : q;
  if (month < 1 || month > 12 || day < 1 || day > 31 || !(second >= 0 && second < 61)) return false;
  const std::size_t point = cells[1].find('.');
  nano = point != std::string::npos && cells[1].size() - point - 1 >= 9;
  out = nanoseconds_since_1970(year, month, day, hour, minute, second);
  return true;
}

}  // namespace

ComtradeConfiguration parse_comtrade_configuration(const std::string& name, const std::string& text,
                                                   Recording& recording, bool primary) {
  ConfigurationLines lines(name, text);
  ComtradeConfiguration c;
  const auto first = lines.get("station, device and year", 2);
  recording.notes = {{"station", first[0]}, {"device", first[1]}};
  const bool old = first.size() < 3 || first[2].empty() || first[2] == "1991";
  recording.notes.emplace_back("standard", "C37.111-" + std::string(old ? "1991" : first[2]));
  auto counts = lines.get("numbers of channels", 3);
  for (std::string& cell : counts)
    if (!cell.empty() && std::isalpha(static_cast<unsigned char>(cell.back()))) cell.pop_back();
  const std::uint64_t analogue = lines.count(counts[1], "analogue channels");
  c.status = lines.count(counts[2], "status channels");
  if (analogue + c.status == 0 || analogue > most_channels || c.status > 65536)
    lines.fail(std::to_string(analogue) + " analogue and " + std::to_string(c.status) + " status channels");
  for (std::uint64_t i = 0; i < analogue; ++i) {
    const auto cells = lines.get("an analogue channel", 10);
    Channel channel;
    channel.name = cells[1].empty() ? "A" + cells[0] : cells[1];
    const auto unit = cells[4].empty() ? std::optional<Unit>(Unit()) : Unit::try_parse(cells[4]);
    channel.unit = unit ? *unit : Unit::opaque(cells[4]);
    if (!unit)
      recording.cautions.push_back(
          {"unit-unknown", Severity::note, channel.name,
           "the unit \"" + cells[4] + "\" can't be read; numbers are kept as they are",
           "name it with --calibrate '" + channel.name + ": unit UNIT'"});
    channel.quantity = quantity_of(channel.unit);
    ComtradeAnalogue values{lines.number(cells[5], "factor a"), lines.number(cells[6], "offset b")};
    if (!cells[7].empty()) values.skew_s = 1e-6 * lines.number(cells[7], "skew");
    if (cells.size() >= 13) {
      const double up = lines.number(cells[10], "primary"), down = lines.number(cells[11], "secondary");
      const bool stored_primary = lower_case(cells[12]) == "p";
      if (up != down && down > 0 && up > 0) {
        recording.notes.emplace_back(channel.name, "transformer " + format_number(up) + ":" +
                                                       format_number(down) + ", values of the " +
                                                       (primary || stored_primary ? "primary" : "secondary") +
                                                       " side");
        if (primary && !stored_primary) values.a *= up / down, values.b *= up / down;
      }
    }
    c.analogue.push_back(values);
    recording.channels.push_back(std::move(channel));
  }
  for (std::size_t i = 0; i < c.status; ++i) {
    const auto cells = lines.get("a status channel", 2);
    Channel channel;
    channel.name = cells[1].empty() ? "D" + cells[0] : cells[1];
    channel.quantity = "status";
    recording.channels.push_back(std::move(channel));
  }
  recording.notes.emplace_back("line frequency", lines.get("the line frequency", 1)[0] + " Hz");
  const std::uint64_t rates = lines.count(lines.get("the number of rates", 1)[0], "number of rates");
  if (rates > 1000) lines.fail(std::to_string(rates) + " rates");
  std::uint64_t before = 0;
  for (std::uint64_t i = 0; i < std::max<std::uint64_t>(rates, 1); ++i) {
    const auto cells = lines.get("rate and last sample", 2);
    const double rate = lines.number(cells[0], "rate");
    c.samples = lines.count(cells[1], "last sample");
    if (rate < 0 || c.samples < before) lines.fail("rates and last samples must rise");
    before = c.samples;
    if (i == 0) c.rate = rates == 0 ? 0 : rate;
    if (i > 0 && rate != c.rate) c.several_rates = true;
  }
  bool nano = false, ignored = false;
  std::int64_t trigger = 0;
  c.dated = parse_stamp(lines.get("the time of the first sample", 1), old, c.start_ns, nano);
  if (parse_stamp(lines.get("the time of the trigger", 1), old, trigger, ignored) && c.dated)
    c.trigger_ns = trigger;
  c.type = lower_case(lines.get("the data type", 1)[0]);
  if (c.type != "ascii" && c.type != "binary" && c.type != "binary32" && c.type != "float32")
    lines.fail("data type \"" + c.type + "\"");
  double factor = 1;
  if (lines.more()) {
    const auto cells = lines.get("the time factor", 1);
    if (!cells[0].empty()) factor = lines.number(cells[0], "time factor");
  }
  if (!(factor > 0)) lines.fail("a time factor of " + format_number(factor));
  c.stamp_factor = factor * (nano ? 1e-9 : 1e-6);
  return c;
}

}  // namespace vprism
