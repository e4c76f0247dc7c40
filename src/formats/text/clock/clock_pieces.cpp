// clock_pieces.cpp: see clock_pieces.h.
#include "formats/text/clock/clock_pieces.h"

#include <algorithm>
#include <charconv>

#include "base/text.h"
#include "formats/text/clock/clock_digits.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

constexpr std::int64_t second_of_piece = 1000000000, day_of_piece = 86400 * second_of_piece;

/// The last word of a title, without case: "header.stamp.nanosec" and "stamp_nsec" end in what they count.
std::string last_word(const std::string& title) {
  std::string name = lower_case(trimmed(title));
  for (const char* whole : {"day of year", "day of the year", "seconds of week", "second of week",
                            "week seconds", "time of week", "seconds in week", "gps week", "week number"})
    if (name == whole || name.ends_with(std::string(" ") + whole)) return whole;
  const std::size_t mark = name.find_last_of("._/ ");
  return mark == std::string::npos ? name : name.substr(mark + 1);
}

using PieceKind = ClockPiece::Kind;

struct NamedPiece {
  PieceKind kind = PieceKind::count;
  std::int64_t unit_ns = 0;
};

/// `before`: the kinds and units that stand in front, which settle what "mm" is.
std::optional<NamedPiece> piece_named(const std::string& title, const std::vector<NamedPiece>& before) {
  const std::string word = last_word(title);
  const auto is = [&](std::initializer_list<const char*> words) {
    return std::any_of(words.begin(), words.end(), [&](const char* w) { return word == w; });
  };
  const auto has = [&](PieceKind kind, std::int64_t unit) {
    return std::any_of(before.begin(), before.end(),
                       [&](const NamedPiece& p) { return p.kind == kind && p.unit_ns == unit; });
  };
  if (is({"year", "yyyy", "yy", "yr", "jahr", "an", "year(utc)"})) return NamedPiece{PieceKind::year};
  if (is({"doy", "jday", "yday", "ddd", "day of year", "day of the year", "julday"}))
    return NamedPiece{PieceKind::day_of_year};
  const bool hours = has(PieceKind::count, 3600 * second_of_piece);
  if (is({"mm"}) && hours) return NamedPiece{PieceKind::count, 60 * second_of_piece};
  if (is({"month", "mm", "mon", "mo", "mnth", "monat"})) return NamedPiece{PieceKind::month};
  if (is({"day", "dd", "dy", "tag", "mday"})) return NamedPiece{PieceKind::day};
  if (is({"hhmm", "hrmn", "hr_mn", "hourmin"})) return NamedPiece{PieceKind::hour_and_minute};
  if (is({"hour", "hours", "hh", "hr", "he", "stunde", "std", "heure", "hora"}))
    return NamedPiece{PieceKind::count, 3600 * second_of_piece};
  if (is({"minute", "minutes", "min", "mi", "mn"})) return NamedPiece{PieceKind::count, 60 * second_of_piece};
  // "hour, t(sec)": the seconds of that hour.
  if (is({"second", "seconds", "sec", "secs", "ss", "sekunde", "sek", "s"}) || (is({"t"}) && hours))
    return NamedPiece{PieceKind::count, second_of_piece};
  if (is({"ms", "msec", "millisecond", "milliseconds", "millis", "fff"}))
    return NamedPiece{PieceKind::count, 1000000};
  if (is({"us", "usec", "microsecond", "microseconds", "usecs", "micros"}))
    return NamedPiece{PieceKind::count, 1000};
  if (is({"ns", "nsec", "nsecs", "nanosec", "nanosecs", "nanosecond", "nanoseconds", "nanos"}))
    return NamedPiece{PieceKind::count, 1};
  if (is({"gps week", "week number", "week", "wn", "gpsweek"})) return NamedPiece{PieceKind::week_since_1980};
  if (is({"seconds of week", "second of week", "week seconds", "time of week", "seconds in week", "sow",
          "tow", "gpssow"}))
    return NamedPiece{PieceKind::count, second_of_piece};
  return {};
}

bool whole_number(std::string_view cell, std::int64_t& value) {
  cell = trimmed(cell);
  if (cell.size() >= 2 && cell.front() == '"' && cell.back() == '"') cell = cell.substr(1, cell.size() - 2);
  if (cell.size() > 2 && cell.ends_with(".0")) cell.remove_suffix(2);
  const auto [end, code] = std::from_chars(cell.data(), cell.data() + cell.size(), value);
  return code == std::errc() && end == cell.data() + cell.size();
}

/// What a set of pieces must have to be an instant.
bool make_an_instant(const std::vector<NamedPiece>& pieces) {
  const auto has = [&](PieceKind kind, std::int64_t unit = 0) {
    return std::count_if(pieces.begin(), pieces.end(),
                         [&](const NamedPiece& p) { return p.kind == kind && p.unit_ns == unit; });
  };
  for (const NamedPiece& p : pieces)
    if (has(p.kind, p.unit_ns) > 1) return false;
  const bool joined = has(PieceKind::hour_and_minute) == 1;
  const bool hours = joined || has(PieceKind::count, 3600 * second_of_piece) == 1,
             minutes = joined || has(PieceKind::count, 60 * second_of_piece) == 1,
             seconds = has(PieceKind::count, second_of_piece) == 1,
             parts =
                 has(PieceKind::count, 1000000) + has(PieceKind::count, 1000) + has(PieceKind::count, 1) > 0;
  if (has(PieceKind::week_since_1980) == 1) return seconds && has(PieceKind::year) == 0;
  if (has(PieceKind::date) == 1) return hours && has(PieceKind::year) + has(PieceKind::month) == 0;
  const bool dated = has(PieceKind::year) == 1 && ((has(PieceKind::month) == 1 && has(PieceKind::day) == 1) ||
                                                   has(PieceKind::day_of_year) == 1);
  if (has(PieceKind::year) == 1 || has(PieceKind::month) == 1 || has(PieceKind::day_of_year) == 1)
    return dated && (hours || !minutes);
  // Hours, minutes and seconds since some start; seconds and what is behind their point.
  return (hours && (minutes || seconds)) || (minutes && seconds) || (seconds && parts && !hours && !minutes);
}

const char* words_of(const std::vector<ClockPiece>& pieces, bool epoch) {
  for (const ClockPiece& p : pieces) {
    if (p.kind == PieceKind::week_since_1980)
      return "weeks since 1980 and seconds of the week, without leap seconds";
    if (p.kind == PieceKind::year || p.kind == PieceKind::day_of_year || p.kind == PieceKind::date)
      return "parts of a date and a time";
  }
  return epoch ? "seconds since 1970 and their parts" : "parts of a time";
}

}  // namespace

std::optional<std::int64_t> instant_of_pieces(const std::vector<ClockPiece>& pieces,
                                              std::span<const std::string_view> cells, DayOrder order) {
  std::int64_t year = 1970, month = 1, day = 1, day_of_year = 0, sum = 0;
  for (const ClockPiece& p : pieces) {
    if (p.cell >= cells.size()) return {};
    if (p.kind == PieceKind::date) {
      const auto day_ns = parse_date(unquoted_cell(cells[p.cell]), order);
      if (!day_ns || __builtin_add_overflow(sum, *day_ns, &sum)) return {};
      continue;
    }
    if (p.kind == PieceKind::count || p.kind == PieceKind::time_in_digits) {
      std::string_view cell = trimmed(cells[p.cell]);
      if (cell.size() >= 2 && cell.front() == '"' && cell.back() == '"')
        cell = cell.substr(1, cell.size() - 2);
      const auto ns =
          p.kind == PieceKind::count ? parse_counted_time(cell, p.unit_ns, 0) : time_in_digits(cell);
      if (!ns || __builtin_add_overflow(sum, *ns, &sum)) return {};
      continue;
    }
    std::int64_t value = 0;
    if (!whole_number(cells[p.cell], value) || value < 0 || value > 9999) return {};
    switch (p.kind) {
      case PieceKind::year:
        year = value < 70 ? 2000 + value : value < 100 ? 1900 + value : value;
        break;
      case PieceKind::month:
        month = value;
        break;
      case PieceKind::day:
        day = value;
        break;
      case PieceKind::day_of_year:
        day_of_year = value;
        break;
      case PieceKind::hour_and_minute:
        if (value > 2400 || value % 100 > 59) return {};
        sum += (value / 100 * 3600 + value % 100 * 60) * second_of_piece;
        break;
      default: {
        constexpr std::int64_t weeks_began_ns = 315964800 * second_of_piece;
        if (value > 4000) return {};
        if (__builtin_add_overflow(sum, weeks_began_ns + value * 7 * day_of_piece, &sum)) return {};
      }
    }
  }
  if (std::any_of(pieces.begin(), pieces.end(),
                  [](const ClockPiece& p) { return p.kind == PieceKind::year; })) {
    if (day_of_year > 366 || year < 1700 || year > 2200) return {};
    const auto date = start_of_day(static_cast<int>(year), static_cast<int>(month), static_cast<int>(day));
    if (!date || __builtin_add_overflow(sum, *date, &sum)) return {};
    if (day_of_year > 0) sum += (day_of_year - 1) * day_of_piece;
  }
  return sum;
}

void find_clock_pieces(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                       std::size_t last) {
  std::vector<NamedPiece> named;
  std::vector<ClockPiece> pieces;
  std::vector<std::size_t> columns;
  // A date as text, in a cell that is no column of numbers, in front of the hours.
  std::span<const std::string_view> cells;
  cells = lines[first].cells(layout.delimiter);
  const std::span<const std::string_view> first_cells = cells;
  const auto dated_before = [&](std::size_t cell) {
    return cell > 0 && cell <= first_cells.size() && parse_date(unquoted_cell(first_cells[cell - 1])) &&
           !std::binary_search(layout.cells.begin(), layout.cells.end(), cell - 1);
  };
  // One run of neighbours: further on, "min" and "s" are other things.
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    const Unit& unit = layout.columns[c].unit;
    const auto piece = unit.dimensionless() || !unit.known() || layout.columns[c].name.empty() ||
                               piece_named(unit.text(), named)  // "hh" above "hr".
                           ? piece_named(layout.columns[c].name, named)
                           : std::nullopt;
    const bool next = columns.empty() || layout.cells[c] == pieces.back().cell + 1;
    if (piece && next) {
      named.push_back(*piece), columns.push_back(c);
      pieces.push_back({piece->kind, layout.cells[c], piece->unit_ns});
    } else if (!columns.empty()) {
      if (columns.size() > 1 || dated_before(pieces.front().cell)) break;
      named.clear(), columns.clear(), pieces.clear();
      if (piece) --c;
    }
  }
  if (!pieces.empty() && dated_before(pieces.front().cell)) {
    named.insert(named.begin(), NamedPiece{PieceKind::date});
    pieces.insert(pieces.begin(), {PieceKind::date, pieces.front().cell - 1, 0});
  }
  if (pieces.size() < 2 || columns.size() >= layout.columns.size() || !make_an_instant(named)) return;
  // Every row is an instant, later than the last. Behind a date as text the hours are those of a day, and a
  // day has several rows: a daily "HR" is none.
  const bool by_date = named.front().kind == PieceKind::date;
  struct Course {
    bool rises = false;
    std::int64_t begun = 0;
    double uneven = 0;  ///< The greatest step over the least.
  };
  const auto course = [&](DayOrder order) {
    Course out;
    std::optional<std::int64_t> before, day_before;
    std::int64_t least = 0, greatest = 0;
    bool same_day = !by_date;
    for (std::size_t i = first; i <= last; ++i) {
      if (trimmed(lines[i].text).empty()) continue;
      cells = lines[i].cells(layout.delimiter);
      const auto now = instant_of_pieces(pieces, cells, order);
      if (!now || (before && *now <= *before)) return Course{};
      if (by_date) {
        const auto day = parse_date(unquoted_cell(cells[pieces.front().cell]), order);
        if (!day || *now - *day > day_of_piece) return Course{};
        same_day = same_day || (day_before && *day_before == *day);
        day_before = day;
      }
      const std::int64_t step = before ? *now - *before : 0;
      if (step > 0) least = least == 0 ? step : std::min(least, step), greatest = std::max(greatest, step);
      if (!before) out.begun = *now;
      before = now;
    }
    out.rises = least > 0 && same_day;
    out.uneven = least > 0 ? static_cast<double>(greatest) / static_cast<double>(least) : 0;
    return out;
  };
  ClockColumn clock;
  Course chosen = course(DayOrder::day_first);
  if (const Course other = by_date ? course(DayOrder::month_first) : Course{}; other.rises) {
    // Where both fit, the one of even steps.
    const bool month_first = !chosen.rises || other.uneven < chosen.uneven;
    if (chosen.rises && is_ambiguous_date(unquoted_cell(first_cells[pieces.front().cell])))
      layout.cautions.push_back({"date-order", Severity::note, "",
                                 std::string("the dates may be read with the day or the month first; the ") +
                                     (month_first ? "month" : "day") + " is taken first",
                                 "export dates with the year first to settle it"});
    if (month_first) chosen = other, clock.order = DayOrder::month_first;
  }
  if (!chosen.rises) return;
  const std::int64_t begun = chosen.begun;
  clock.cell = pieces.front().cell, clock.first_ns = begun;
  const bool dated = std::any_of(pieces.begin(), pieces.end(),
                                 [](const ClockPiece& p) { return p.kind != PieceKind::count; });
  constexpr double year_2000 = 9.466e8, year_2040 = 2.209e9;
  const double begun_s = static_cast<double>(begun) / 1e9;
  clock.no_date = !dated && !(begun_s > year_2000 && begun_s < year_2040);
  clock.pieces = pieces;
  std::vector<std::string> names;
  for (const std::size_t c : columns) names.push_back(column_name(layout, c));
  layout.cautions.push_back({"clock-counted", Severity::note, "",
                             "the columns " + quoted_names(names) + " are taken as " +
                                 words_of(pieces, !clock.no_date) + ": time 0 is their first row" +
                                 (clock.no_date ? std::string() : ", " + utc_text(begun)),
                             "--axis with a name takes another column as the time"});
  leave_out_columns(layout, columns);
  layout.clock = clock;
}

}  // namespace vprism
