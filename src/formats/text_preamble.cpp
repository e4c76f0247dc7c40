// text_preamble.cpp: notes, and what they say of the axis: sample interval, sampling rate, number of samples.
#include "formats/text_preamble.h"

#include <algorithm>
#include <cmath>
#include <initializer_list>

#include "base/text.h"

namespace vprism {

std::string unquoted_cell(std::string_view cell) {
  cell = trimmed(cell);
  if (cell.size() > 3 && starts_with(cell, "\"'") && runs_in_spreadsheet(cell.substr(2, cell.size() - 3)))
    return unquoted_cell('"' + std::string(cell.substr(2)));  // As csv_cell writes it.
  if (cell.size() < 2 || cell.front() != '"' || cell.back() != '"')
    return clean_text(trimmed(utf8_from_any(cell)));
  std::string text;
  for (std::size_t i = 1; i + 1 < cell.size(); ++i) {
    text += cell[i];
    if (cell[i] == '"' && cell[i + 1] == '"' && i + 2 < cell.size()) ++i;  // A doubled quote is one.
  }
  return clean_text(trimmed(utf8_from_any(text)));
}

namespace {

bool contains_any(const std::string& text, std::initializer_list<const char*> words) {
  return std::any_of(words.begin(), words.end(),
                     [&](const char* word) { return text.find(word) != std::string::npos; });
}

/// Takes interval, rate, duration and length from a key and its value.
void read_note(TextLayout& layout, const std::string& key, const std::string& value) {
  layout.notes.emplace_back(key, value);
  const Channel title = channel_from_title(key);
  const std::string name = lower_case(title.name);
  double number = 0;
  const std::size_t unit_at = value.find_first_not_of("+-.,0123456789eE");
  std::string unit_text =
      unit_at == std::string::npos ? "" : std::string(trimmed(std::string_view(value).substr(unit_at)));
  if (!parse_cell(std::string_view(value).substr(0, unit_at), layout.decimal, number)) return;
  if (unit_text.empty() && title.unit.text() != "1") unit_text = title.unit.text();
  const auto in = [&](const char* base) {
    const auto unit = unit_text.empty() ? Unit::try_parse(base) : Unit::try_parse(unit_text);
    return unit && unit->converts_to(Unit::parse(base)) ? unit->convert(number, Unit::parse(base)) : 0.0;
  };
  if (contains_any(
          name, {"start time", "time offset", "trigger offset", "first sample time", "time of first sample",
                 "x origin", "xorigin", "xzero", "x zero", "horizontal offset"}) ||
      name == "t0" || name == "start") {
    const auto unit = unit_text.empty() ? std::optional<Unit>(Unit::parse("s")) : Unit::try_parse(unit_text);
    if (unit && unit->converts_to(Unit::parse("s"))) layout.start_s = unit->convert(number, Unit::parse("s"));
    return;
  }
  if (!(number > 0)) return;
  const bool sampling = contains_any(name, {"sampl", "record", "horizontal", "scan", "acquisition", "tact"});
  double interval = 0;
  if (contains_any(name,
                   {"duration", "total time", "time span", "timespan", "record time", "acquisition time",
                    "sweep time", "recording time", "measurement time", "messdauer"}) &&
      in("s") > 0) {
    if (layout.total_s == 0) layout.total_s = in("s");
    return;
  }
  if (contains_any(name, {"interval", "increment", "delta t", "delta_t", "time step", "timestep",
                          "sample period", "sampling period", "sampling time", "time resolution",
                          "abtastintervall", "seconds per sample", "time per sample"}) ||
      name == "dt" || name == "delta" || name == "tsample" || name == "ts")
    interval = in("s");
  else if ((sampling && contains_any(name, {"rate", "freq"})) ||
           contains_any(name, {"abtastrate", "samples per second", "samples/s"}) || name == "fs" ||
           name == "rate")
    interval = in("Hz") > 0 ? 1 / in("Hz") : 0;
  else if (contains_any(name,
                        {"record length", "number of points", "number of samples", "points", "samples"}) &&
           number == std::floor(number))
    layout.declared = static_cast<std::int64_t>(number);
  if (interval > 0 && layout.interval_s == 0) {
    layout.interval_s = interval;
    layout.interval_source = "preamble (" + key + ")";
  }
}

}  // namespace

void read_beside_preamble(TextLayout& layout, const std::vector<std::string_view>& cells) {
  std::vector<std::string> run;
  const auto end_run = [&] {
    if (run.size() >= 2) {
      std::string value = run[1];
      for (std::size_t i = 2; i < run.size(); ++i) value += " " + run[i];
      read_note(layout, run[0], value);
    } else if (run.size() == 1) {
      layout.notes.emplace_back(run[0], "");
    }
    run.clear();
  };
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const bool data = std::binary_search(layout.cells.begin(), layout.cells.end(), i);
    const std::string text = data ? "" : unquoted_cell(cells[i]);
    if (text.empty())
      end_run();
    else
      run.push_back(text);
  }
  end_run();
}

void read_preamble_line(TextLayout& layout, std::string_view text) {
  text = trimmed(text);
  while (!text.empty() && (text.front() == '#' || text.front() == '%' || text.front() == '!'))
    text.remove_prefix(1);
  text = trimmed(text);
  if (text.empty()) return;
  std::vector<std::string_view> cells;
  split_cells(text, layout.delimiter == ' ' ? '\t' : layout.delimiter, cells);
  if (cells.size() < 2) {
    const std::size_t mark = text.find_first_of(":=");
    if (mark == std::string_view::npos) {
      layout.notes.emplace_back(unquoted_cell(text), "");
      return;
    }
    cells = {text.substr(0, mark), text.substr(mark + 1)};
  }
  std::vector<std::string> parts;
  for (const std::string_view cell : cells)
    if (const std::string part = unquoted_cell(cell); !part.empty()) parts.push_back(part);
  if (parts.empty()) return;
  if (parts[0].back() == ':' || parts[0].back() == '=') parts[0].pop_back();
  std::string value;
  for (std::size_t i = 1; i < parts.size(); ++i) value += (i > 1 ? " " : "") + parts[i];
  read_note(layout, parts[0], value);
}

bool read_below_titles(TextLayout& layout, const std::vector<std::string_view>& titles,
                       const std::vector<std::string_view>& values) {
  bool any = false;
  double number = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (std::binary_search(layout.cells.begin(), layout.cells.end(), i)) continue;
    if (!parse_cell(values[i], layout.decimal, number)) continue;
    if (titles.empty()) return true;
    if (i >= titles.size()) continue;
    const std::string key = unquoted_cell(titles[i]);
    if (key.empty() || parse_cell(key, layout.decimal, number)) continue;
    read_note(layout, key, unquoted_cell(values[i]));
    any = true;
  }
  return any;
}

}  // namespace vprism
