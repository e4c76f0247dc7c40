// title_roles.cpp: see title_roles.h.
#include "formats/text/titles/title_roles.h"

#include <algorithm>

#include "base/text.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

constexpr std::string_view unit_labels[] = {"unit",  "units",  "einheit", "einheiten",
                                            "unité", "unidad", "unità"};
constexpr std::string_view name_labels[] = {"name",         "names",       "signal", "signals",
                                            "channel name", "signal name", "label",  "bezeichnung",
                                            "description",  "sensor",      "nom",    "nombre"};
constexpr std::string_view channel_labels[] = {"channel", "channels", "kanal", "ch",
                                               "voie",    "canal",    "canale"};

template <typename Words>
bool is_title_word(const std::string& cell, const Words& words) {
  std::string low = lower_case(cell);
  while (!low.empty() && low.back() == ':') low.pop_back();
  return std::find(std::begin(words), std::end(words), low) != std::end(words);
}

}  // namespace

bool is_name_label(const std::string& cell) { return is_title_word(cell, name_labels); }

bool is_unit_label(const std::string& cell) { return is_title_word(cell, unit_labels); }

bool is_row_label(const std::string& cell) {
  return is_unit_label(cell) || is_name_label(cell) || is_title_word(cell, channel_labels);
}

bool is_setting_label(const std::string& cell) {
  if (is_row_label(cell)) return false;
  const std::string low = lower_case(cell);
  for (const char* word :
       {"rate", "freq", "range", "gain", "offset", "scale", "sens", "coupling", "impedance", "calib",
        "filter", "bereich", "faktor", "factor", "channel no", "channel id"})
    if (low.find(word) != std::string::npos) return true;
  return false;
}

std::string without_brackets(std::string_view text) {
  text = trimmed(text);
  if (text.size() > 2 && (text.front() == '(' || text.front() == '[')) text = text.substr(1, text.size() - 2);
  return std::string(trimmed(text));
}

bool counts_word(const std::string& cell) {
  const std::string low = lower_case(cell);
  for (const char* word :
       {"sequence", "samples", "sample", "points", "count", "-", "#", "no.", "nr.", "rn", "ts"})
    if (low == word) return true;
  return false;
}

namespace {

/// A unit by itself: "u (V)" is a name with one.
bool is_unit_cell(const std::string& cell) {
  const bool named = cell.find_first_of("([") != std::string::npos && cell.find_first_of("([") > 0 &&
                     (cell.back() == ')' || cell.back() == ']') && cell.find('/') == std::string::npos;
  return !named && Unit::try_parse(without_brackets(cell)).has_value();
}

}  // namespace

bool is_units_row(const TitleRow& row) {
  return std::any_of(row.begin(), row.end(), is_unit_cell) &&
         std::all_of(row.begin(), row.end(), [](const std::string& cell) {
           return cell.empty() || counts_word(cell) || is_unit_cell(cell);
         });
}

namespace {

/// Right below the names: units for the most part, though one of them may not be known.
bool is_mostly_units(const TitleRow& row) {
  std::size_t known = 0, other = 0;
  for (const std::string& cell : row) {
    const std::string low = lower_case(cell);
    for (const char* kind : {"avg", "min", "max", "std", "smp", "tot", "mean", "rms", "inst"})
      if (low == kind) return false;
    // Parts of a date, as units are named: "yr mo dy hr mn".
    static constexpr std::string_view calendar[] = {"yr", "mo", "mon", "dy", "day", "hr", "mn"};
    if (cell.empty() || counts_word(cell) ||
        std::find(std::begin(calendar), std::end(calendar), low) != std::end(calendar))
      continue;
    ++(is_unit_cell(cell) ? known : other);
  }
  return known > 0 && known >= other;
}

/// Three at least that no name is: "m/s", "hPa", "%".
bool several_units(const TitleRow& row) {
  return std::count_if(row.begin(), row.end(), [](const std::string& cell) {
           return is_unit_cell(cell) && (cell.size() > 1 || cell == "%");
         }) >= 3;
}

/// "Name;Druck;Temp" over "Einheit;bar;°C": what a row is stands in front of it, above a column of numbers
/// that has no title.
void take_labels(const std::vector<TitleLine>& rows, TitleRoles& out) {
  std::optional<std::size_t> names, numbers, units;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    const std::string& lead = rows[r].label.empty() ? rows[r].row[0] : rows[r].label;
    if (!units && is_unit_label(lead)) units = r;
    // A name rather than what describes it.
    const bool described =
        names &&
        lower_case(rows[*names].label.empty() ? rows[*names].row[0] : rows[*names].label).find("descr") == 0;
    if ((!names || described) && is_name_label(lead)) names = r;
    if (!numbers && is_title_word(lead, channel_labels)) numbers = r;
  }
  if (!names) names = numbers;
  if (!names) return;
  // Units that nothing stands in front of, and settings that say what they are: so does the row of names.
  bool settings = false;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    // "Frequency" may be a title as well.
    settings = settings || (rows[r].label.empty() && r != *names && is_setting_label(rows[r].row[0]) &&
                            lower_case(rows[r].row[0]).find("freq") == std::string::npos);
    if (!units && rows[r].label.empty() && rows[r].row[0].empty() && is_units_row(rows[r].row)) units = r;
  }
  if (!units && !settings) return;
  out.names = names, out.units = units, out.labelled = rows[*names].label.empty();
}

}  // namespace

TitleRoles roles_of(const std::vector<TitleLine>& rows) {
  TitleRoles out;
  take_labels(rows, out);
  if (out.names) return out;
  // "Name<tab>Force<tab>Path" above two columns.
  for (std::size_t r = 0; r < rows.size() && !out.names; ++r)
    if (rows[r].called_names) out.names = r;
  for (std::size_t r = 0; r < rows.size() && !out.units; ++r) {
    const auto lead = Unit::try_parse(without_brackets(rows[r].row[0]));
    // A single row of words that happen to be units ("t", "A") is names, unless it begins with a time; two
    // times are the parts of one clock: "sec", "nanosec".
    const auto times = std::count_if(rows[r].row.begin(), rows[r].row.end(), [](const std::string& cell) {
      const auto unit = Unit::try_parse(without_brackets(cell));
      return unit && unit->converts_to(Unit::parse("s"));
    });
    if (is_units_row(rows[r].row) &&
        (rows.size() > 1 || (lead && lead->converts_to(Unit::parse("s")) && times < 2)))
      out.units = r;
  }
  for (std::size_t r = 0; r < rows.size() && !out.names; ++r)
    if (r != out.units && rows[r].has_axis) out.names = r;
  // Units that are not all known, below the names: the time has one.
  if (out.names && !out.units && *out.names + 1 < rows.size()) {
    const TitleRow &below = rows[*out.names].row, &above = rows[*out.names + 1].row;
    static constexpr std::string_view units_of_time[] = {"s",  "sec", "secs", "second", "seconds",
                                                         "ms", "us",  "min",  "h",      "hours"};
    bool under_time = false;
    for (std::size_t c = 0; c < below.size(); ++c)
      under_time =
          under_time || (rows[*out.names + 1].has_axis && is_time_title(channel_from_title(above[c])) &&
                         std::find(std::begin(units_of_time), std::end(units_of_time),
                                   lower_case(without_brackets(below[c]))) != std::end(units_of_time));
    if (under_time) out.units = out.names, out.names = *out.names + 1;
  }
  if (!out.names && out.units && *out.units + 1 < rows.size()) out.names = *out.units + 1;
  for (std::size_t r = 0; r < rows.size() && !out.names; ++r)
    if (r != out.units && !is_title_word(rows[r].label, unit_labels)) out.names = r;
  if (!out.units && out.names && *out.names + 1 < rows.size() && several_units(rows[*out.names].row) &&
      is_mostly_units(rows[*out.names].row) && !is_mostly_units(rows[*out.names + 1].row))
    out.units = out.names, out.names = *out.names + 1;
  if (!out.units && out.names && *out.names > 0 && is_mostly_units(rows[*out.names - 1].row))
    out.units = *out.names - 1;
  return out;
}

TitleRow defined_units(const std::vector<TextLine>& lines, std::size_t first, const TitleRow& names,
                       char delimiter) {
  TitleRow out(names.size());
  std::size_t found = 0;
  std::vector<std::string_view> cells;
  const auto take = [&](std::string_view said, std::string_view of) {
    const std::string name = unquoted_cell(said), unit = without_brackets(unquoted_cell(of));
    const auto at = std::find(names.begin(), names.end(), name);
    if (name.empty() || at == names.end() || !Unit::try_parse(unit)) return false;
    std::string& place = out[static_cast<std::size_t>(at - names.begin())];
    found += place.empty() ? 1 : 0;
    place = unit;
    return true;
  };
  for (std::size_t i = first - std::min<std::size_t>(first, 400); i < first; ++i) {
    for (const char mark : {';', ',', '\t', ':', '='}) {
      split_cells(without_marks(lines[i].text), mark, cells);
      if (cells.size() != 2 || (mark == delimiter && !is_comment(lines[i].text))) continue;
      if (take(cells[0], cells[1])) break;
    }
    if (!is_comment(lines[i].text) || lines[i].text.find(" in ") == std::string_view::npos) continue;
    for (const char mark : {',', ';'}) {
      split_cells(without_marks(lines[i].text), mark, cells);
      for (const std::string_view part : cells)
        if (const std::size_t in = part.find(" in "); in != std::string_view::npos && cells.size() > 1)
          take(part.substr(0, in), part.substr(in + 4));
    }
  }
  return names.size() > 1 && found == names.size() ? out : TitleRow();
}

}  // namespace vprism
