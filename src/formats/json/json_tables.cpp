// json_tables.cpp: see json_tables.h.
//
//     {"fs": 2000, "a (V)": [...], "b": [...]}                         arrays beside each other
//     {"channels": [{"name": "a", "unit": "V", "data": [...]}, ...]}    an object for each channel
//     [{"t": 0, "a": 1.5}, {"t": 0.01, "a": 1.4}, ...]                  an object for each row
//     {"columns": ["t", "a"], "data": [[0, 1.5], [0.01, 1.4], ...]}     a list for each row, or for each
//     channel
#include "formats/json/json_tables.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <unordered_map>

#include "base/text.h"
#include "formats/documents/key_meaning.h"
#include "formats/json/json_axis.h"
#include "formats/json/json_series.h"
#include "formats/json/json_settings.h"
#include "formats/json/json_shapes.h"
#include "formats/text/clock/clock.h"
#include "formats/text/tables/text_columns.h"
#include "signal/stamps.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;
using Series = JsonSeries;
constexpr std::size_t deepest = 32;

using Beside = JsonBeside;

std::string joined_place(const std::string& place, const std::string& key) {
  return place.empty() ? key : place + "." + key;
}

/// A key of the names of what stands in the columns of a list of rows.
bool names_columns(const std::string& key) {
  static constexpr std::string_view known[] = {"columns", "names",         "channels",  "labels",
                                               "fields",  "channel_names", "variables", "axes"};
  return std::find(std::begin(known), std::end(known), lower_case(key)) != std::end(known);
}

class Walk {
 public:
  Walk(const std::string& axis, std::vector<std::pair<std::string, std::string>>& notes,
       std::vector<std::string>& left_out)
      : axis_(axis), notes_(notes), left_out_(left_out) {}

  void visit(const Document& value, const std::string& place, Beside beside, std::size_t depth) {
    if (depth > deepest) return leave_out(place);
    if (value.is_object())
      object(value, place, beside, depth);
    else if (value.is_array() && !value.empty())
      list(value, place, beside, depth, {}, {});
  }

  std::vector<JsonTable> tables;
  const std::vector<std::string>& unapplied() const { return unapplied_; }

 private:
  void take_setting(const std::string& key, const Document& value, Beside& beside) {
    take_json_setting(key, value, beside, unapplied_);
  }

  void note(const std::string& place, const Document& value) {
    if (notes_.size() >= 200) return;
    if (value.is_string())
      notes_.emplace_back(clean_text(place), clean_text(value.get<std::string>(), 400));
    else if (value.is_number())
      notes_.emplace_back(clean_text(place), format_number(value.get<double>(), 12));
  }

  /// Each place once.
  void leave_out(const std::string& place) {
    if (std::find(left_out_.begin(), left_out_.end(), place) == left_out_.end()) left_out_.push_back(place);
  }

  void object(const Document& value, const std::string& place, Beside beside, std::size_t depth) {
    for (const auto& [key, x] : value.items())
      if (x.is_primitive()) take_setting(key, x, beside), note(joined_place(place, key), x);
    // {"meta": {"fs": 2000}, "data": ...}: what stands in an object of settings alone holds for its siblings.
    for (const auto& [key, x] : value.items())
      if (is_of_json_settings(x)) take_json_settings(key, x, beside, unapplied_);
    // Names and units of what is a list of lists, or of the arrays beside them.
    std::vector<std::string> names, units;
    for (const auto& [key, x] : value.items()) {
      const std::string low = lower_case(key);
      if (std::vector<std::string> texts = json_texts(x); !texts.empty()) {
        if (low.find("unit") != std::string::npos)
          units = std::move(texts);
        else if (names_columns(low))
          names = std::move(texts);
      } else if (names.empty() && x.is_array() && !x.empty()) {
        described_columns(x, names, units);
      }
    }
    if (const auto members = json_channels_by_key(value); members.size() > 1) {
      channels_of_objects(members, place, beside, depth + 1);
      return;
    }
    for (const char* where : {"units", "unit"})
      if (const auto of = value.find(where); of != value.end() && of->is_object())
        for (const auto& [key, unit] : of->items())
          if (unit.is_string()) beside.units[key] = unit.get<std::string>();
    std::vector<Series> found;
    for (const auto& [key, x] : value.items()) {
      if (x.is_primitive()) continue;
      const std::string here = joined_place(place, key);
      if (auto series = json_series(x)) {
        series->key = key;
        found.push_back(std::move(*series));
      } else if (const std::vector<std::string> texts = json_texts(x); !texts.empty()) {
        if (texts != names && texts != units) leave_out(here);
      } else if (x.is_array() && !x.empty()) {
        list(x, here, beside, depth + 1, names, units);
      } else {
        visit(x, here, beside, depth + 1);
      }
    }
    take_units_beside(value, found);
    for (Series& series : found)
      if (const auto unit = beside.units.find(series.key); series.unit.empty() && unit != beside.units.end())
        series.unit = unit->second;
    take_name_beside(value, found);
    deliver(std::move(found), place, beside);
  }

  /// A list of objects, of lists, or of numbers.
  void list(const Document& value, const std::string& place, Beside beside, std::size_t depth,
            const std::vector<std::string>& names, const std::vector<std::string>& units) {
    if (auto series = json_series(value)) {
      const std::size_t dot = place.rfind('.');
      series->key = dot == std::string::npos ? place : place.substr(dot + 1);
      return deliver({std::move(*series)}, dot == std::string::npos ? "" : place.substr(0, dot), beside);
    }
    const auto all = [&](auto test) { return std::all_of(value.begin(), value.end(), test); };
    if (all([](const Document& x) { return x.is_array(); }))
      return rows_of_lists(value, place, beside, names, units);
    if (!all([](const Document& x) { return x.is_object(); })) return leave_out(place);
    const bool carries = std::any_of(value.begin(), value.end(), [](const Document& x) {
      return std::any_of(x.begin(), x.end(), [](const Document& y) { return y.is_structured(); });
    });
    if (!carries) return rows_of_objects(value, place, beside);
    // {"t": 0, "acc": {"x": 1, "y": 2}}: rows with groups of columns.
    if (all([](const Document& x) { return is_of_json_settings(x); }) && value.size() >= 8)
      return rows_of_objects(json_flat_rows(value), place, beside);
    std::vector<JsonMember> members;
    for (std::size_t k = 0; k < value.size(); ++k)
      members.push_back({place + "[" + std::to_string(k + 1) + "]", "", &value[k]});
    channels_of_objects(members, place, beside, depth);
  }

  /// An object for each channel: its name, its unit, its numbers.
  void channels_of_objects(const std::vector<JsonMember>& members, const std::string& place,
                           const Beside& beside, std::size_t depth) {
    // By rate and length: each of these is a part.
    struct Alike {
      Beside beside;
      std::vector<Series> series;
    };
    std::vector<Alike> kinds;
    for (std::size_t k = 0; k < members.size(); ++k) {
      const Document& one = *members[k].value;
      const std::string& here = members[k].place;
      Beside own = beside;
      std::string name, unit;
      std::vector<Series> found;
      std::vector<std::string> inner;
      for (const auto& [key, x] : one.items()) {
        if (x.is_primitive()) {
          take_setting(key, x, own), note(joined_place(here, key), x);
          double factor = 1;
          const KeyMeaning meaning = meaning_of_key(key, factor);
          const std::string low = lower_case(key);
          if (x.is_string() && (meaning == KeyMeaning::name || low == "id" || low == "signal") &&
              name.empty())
            name = x.get<std::string>();
          else if (x.is_string() && meaning == KeyMeaning::unit && unit.empty())
            unit = x.get<std::string>();
        } else if (auto series = json_series(x)) {
          series->key = key;
          found.push_back(std::move(*series));
        } else {
          inner.push_back(key);
        }
      }
      if (name.empty()) name = members[k].name;
      own.name = name, own.unit = unit.empty() ? beside.unit : unit;
      // What else it holds: a list of rows, an object of its own.
      std::vector<std::string> columns;
      for (const std::string& key : inner)
        if (names_columns(key)) columns = json_texts(one[key]);
      for (const std::string& key : inner) {
        const Document& x = one[key];
        if (x.is_array() && !x.empty() && json_texts(x).empty())
          list(x, joined_place(here, key), own, depth + 1, columns, {});
        else if (!columns.empty() && json_texts(x) == columns)
          continue;
        else if (x.is_array() && !x.empty())
          leave_out(joined_place(here, key));
        else
          visit(x, joined_place(here, key), own, depth + 1);
      }
      if (found.empty()) continue;
      // {"name": "a", "x": [...], "y": [...]}.
      if (axis_.empty() && own.interval_s == 0 && found.size() == 2) assume_abscissa({&found[0], &found[1]});
      // With times of its own, or several arrays, it is a table of its own.
      const bool timed = std::any_of(found.begin(), found.end(), [](const Series& s) {
        return s.assumed_axis || s.zero_ns || is_time_key(s.key) || is_frequency_key(s.key);
      });
      if (timed || found.size() > 1) {
        for (Series& series : found)
          if (!series.assumed_axis && !series.zero_ns && !is_time_key(series.key) &&
              !is_frequency_key(series.key)) {
            if (!name.empty()) series.key = timed && found.size() == 2 ? name : name + " " + series.key;
            series.unit = unit;
          }
        deliver(std::move(found), name.empty() ? here : name, own);
        continue;
      }
      found[0].key = name.empty() ? found[0].key + " " + std::to_string(k + 1) : name;
      found[0].unit = unit;
      const auto same = std::find_if(kinds.begin(), kinds.end(), [&](const Alike& kind) {
        return kind.beside.interval_s == own.interval_s && kind.beside.start_s == own.start_s;
      });
      if (same == kinds.end())
        kinds.push_back({own, std::move(found)});
      else
        same->series.push_back(std::move(found[0]));
    }
    for (Alike& kind : kinds) deliver(std::move(kind.series), place, kind.beside);
  }

  /// An object for each row: members of numbers are columns.
  void rows_of_objects(const Document& value, const std::string& place, const Beside& beside) {
    std::vector<std::string> keys;
    std::unordered_map<std::string, std::size_t> known;
    std::vector<std::vector<const Document*>> columns;
    for (std::size_t n = 0; n < value.size(); ++n)
      for (const auto& [key, x] : value[n].items()) {
        const auto [at, fresh] = known.try_emplace(key, columns.size());
        if (fresh && columns.size() > most_channels) {
          known.erase(at);
          leave_out(joined_place(place, "further members"));
          continue;
        }
        if (fresh) keys.push_back(key), columns.emplace_back();
        std::vector<const Document*>& column = columns[at->second];
        column.resize(n, nullptr);
        column.push_back(&x);
      }
    for (auto& column : columns) column.resize(value.size(), nullptr);
    if (const std::vector<JsonNamedRows> named = json_named_rows(keys, columns); !named.empty()) {
      for (const JsonNamedRows& one : named) {
        std::vector<Series> found;
        for (std::size_t c = 0; c < keys.size(); ++c)
          if (c != one.of_name && c != one.of_unit) {
            const bool alone = c == one.of_value;
            take_column(one.columns[c], alone ? one.name : keys[c], alone ? one.unit : "",
                        joined_place(place, keys[c]), found);
          }
        deliver(std::move(found), joined_place(place, one.name), beside);
      }
      return;
    }
    std::vector<Series> found;
    for (std::size_t c = 0; c < keys.size(); ++c) {
      take_column(columns[c], keys[c], "", joined_place(place, keys[c]), found);
      columns[c] = {};
    }
    deliver(std::move(found), place, beside);
  }

  void take_column(const std::vector<const Document*>& cells, const std::string& key, const std::string& unit,
                   const std::string& place, std::vector<Series>& found) {
    auto series = json_series(cells);
    if (!series) return leave_out(place);
    series->key = key, series->unit = unit;
    found.push_back(std::move(*series));
  }

  /// A list for each row, or for each channel: the longer dimension is time, unless names say otherwise.
  void rows_of_lists(const Document& value, const std::string& place, const Beside& beside,
                     const std::vector<std::string>& names, const std::vector<std::string>& units) {
    const std::size_t inner = value[0].size();
    for (const Document& row : value)
      if (row.size() != inner) return each_of_lists(value, place, beside, names, units);
    if (inner == 0) return;
    const bool rows = names.size() == inner || (names.size() != value.size() && value.size() >= inner);
    if (!rows) return each_of_lists(value, place, beside, names, units);
    std::vector<Series> found;
    std::vector<const Document*> cells(value.size());
    const std::string own = place.substr(place.rfind('.') + 1);
    const auto name_of = [&](std::size_t c) {
      if (c < names.size()) return names[c];
      if (!own.empty() && own.back() != ']' && !says_no_more(own) && own != "rows" && beside.name.empty())
        return own + " " + std::to_string(c + 1);
      return inner == 2 && c == 1 && !beside.name.empty() ? beside.name : "column " + std::to_string(c + 1);
    };
    for (std::size_t c = 0; c < inner; ++c) {
      for (std::size_t n = 0; n < value.size(); ++n) cells[n] = &value[n][c];
      take_column(cells, name_of(c), c < units.size() ? units[c] : "",
                  place + "[.." + std::to_string(c + 1) + "]", found);
    }
    // [[0, 1.5], [0.01, 1.4], ...]: without names, what rises in the first place is the axis.
    if (names.empty() && found.size() > 1 && found.size() == inner && beside.interval_s == 0 &&
        axis_.empty() && json_rises(found[0].values))
      found[0].assumed_axis = true;
    if (found.size() == 2 && found[0].assumed_axis && found[1].key == own + " 2") found[1].key = own;
    deliver(std::move(found), place, beside);
  }

  void each_of_lists(const Document& value, const std::string& place, const Beside& beside,
                     const std::vector<std::string>& names, const std::vector<std::string>& units) {
    std::vector<Series> found;
    std::vector<const Document*> cells;
    for (std::size_t c = 0; c < value.size(); ++c) {
      cells.clear();
      for (const Document& x : value[c]) cells.push_back(&x);
      take_column(cells, c < names.size() ? names[c] : "channel " + std::to_string(c + 1),
                  c < units.size() ? units[c] : "", place + "[" + std::to_string(c + 1) + "]", found);
    }
    deliver(std::move(found), place, beside);
  }

  /// Series of one length make a table.
  void deliver(std::vector<Series> found, const std::string& place, const Beside& beside) {
    std::map<std::size_t, std::vector<Series*>> by_length;
    for (Series& series : found) by_length[series.values.size()].push_back(&series);
    for (auto& [length, alike] : by_length) {
      if (axis_.empty() && beside.interval_s == 0 &&
          std::none_of(alike.begin(), alike.end(), [&](const Series* s) { return is_axis(*s); }))
        assume_abscissa(alike);
      for (Series* const series : alike)
        series->no_axis = axis_.empty() && beside.interval_s > 0 && is_abscissa_key(series->key);
      JsonTable table;
      table.name = place, table.interval_s = beside.interval_s, table.start_s = beside.start_s;
      table.interval_source = "member \"" + clean_text(beside.interval_source) + "\"";
      if (beside.interval_s == 0 && beside.duration_s > 0)
        table.interval_s = beside.duration_s / static_cast<double>(length),
        table.interval_source = "member \"" + clean_text(beside.duration_source) + "\"";
      for (Series* const series : alike)
        if (table.axis.empty() && alike.size() > 1 && is_axis(*series))
          take_json_axis(table, *series);
        else if (table.columns.size() < most_channels)
          table.channels.push_back(json_channel(*series, beside.unit)),
              table.columns.push_back(std::move(series->values));
        else
          leave_out(joined_place(place, series->key));
      if (!table.columns.empty()) tables.push_back(std::move(table));
    }
  }

  bool is_axis(const Series& series) const {
    const Channel channel = json_channel(series);
    if (!axis_.empty()) return axis_ != "none" && (series.key == axis_ || channel.name == axis_);
    return !series.no_axis &&
           (series.assumed_axis || is_json_time(series, channel) || is_frequency_key(channel.name)) &&
           json_rises(series.values);
  }

  const std::string& axis_;
  std::vector<std::pair<std::string, std::string>>& notes_;
  std::vector<std::string>& left_out_;
  std::vector<std::string> unapplied_;  ///< Scales and offsets.
};

}  // namespace

std::vector<JsonTable> json_tables(const Document& document, const std::string& axis,
                                   std::vector<std::pair<std::string, std::string>>& notes,
                                   std::vector<std::string>& left_out) {
  Walk walk(axis, notes, left_out);
  walk.visit(document, "", {}, 0);
  if (axis.empty()) join_lone_axes(walk.tables);
  join_alike(walk.tables);
  for (JsonTable& table : walk.tables) {
    make_names_distinct(table.channels);
    if (!walk.unapplied().empty())
      table.cautions.push_back({"scale-not-applied", Severity::warning, "",
                                "the document gives a scale or an offset (\"" +
                                    clean_text(walk.unapplied().front()) + "\"), which is not applied",
                                "apply it with --calibrate if the numbers are stored values"});
  }
  std::stable_sort(walk.tables.begin(), walk.tables.end(), [](const JsonTable& a, const JsonTable& b) {
    return a.length() * a.columns.size() > b.length() * b.columns.size();
  });
  return std::move(walk.tables);
}

}  // namespace vprism
