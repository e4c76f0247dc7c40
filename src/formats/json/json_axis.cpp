// json_axis.cpp: see json_axis.h.
#include "formats/json/json_axis.h"

#include "base/text.h"
#include "formats/documents/key_meaning.h"
#include "formats/json/json_shapes.h"
#include "formats/text/clock/clock.h"
#include "formats/text/tables/text_columns.h"
#include "signal/stamps.h"

namespace vprism {

bool is_json_time(const JsonSeries& series, const Channel& channel) {
  return series.zero_ns || is_time_key(channel.name) || is_time_title(channel);
}

void take_json_axis(JsonTable& table, JsonSeries& series) {
  const Channel channel = json_channel(series);
  if (series.assumed_axis)
    table.cautions.push_back(
        {"axis-assumed", Severity::note, "",
         is_abscissa_key(series.key)
             ? "\"" + clean_text(series.key) + "\" rises by even steps and is taken for the time in seconds"
             : "the first of each row's numbers rises and is taken for the time in seconds",
         "if it is none: --axis none and --rate"});
  const bool time = !is_frequency_key(channel.name) || is_json_time(series, channel);
  table.axis_name = series.key, table.frequencies = !time;
  table.axis_source = "member \"" + clean_text(series.key) + "\"";
  table.axis = std::move(series.values), table.zero_ns = series.zero_ns;
  const Unit base = Unit::parse(time ? "s" : "Hz");
  const bool united = !channel.unit.dimensionless() && channel.unit.converts_to(base);
  const double step = (table.axis.back() - table.axis.front()) / static_cast<double>(table.axis.size() - 1);
  const auto since =
      time && !table.zero_ns && !united ? unit_since_1970(table.axis.front(), step) : std::nullopt;
  if (!since) {
    if (!table.zero_ns && united)
      for (double& t : table.axis) t *= channel.unit.convert(1, base);
    return;
  }
  const double first = table.axis.front(), unit_s = static_cast<double>(*since) / 1e9;
  table.zero_ns =
      series.whole_from ? instant_of_count(*series.whole_from, *since) : instant_after(0, first * unit_s);
  if (!series.distances.empty()) table.axis = std::move(series.distances);
  const double from = table.axis.front();  // Of distances: 0.
  for (double& t : table.axis) t = (t - from) * unit_s;
  table.cautions.push_back(clock_counted_caution(clean_text(series.key), format_quantity(unit_s, "s", 1)));
}

namespace {

/// Whether a table is nothing but an axis.
bool is_lone_axis(const JsonTable& table) {
  if (table.columns.size() != 1 || !table.axis.empty() || table.interval_s > 0 ||
      !json_rises(table.columns[0]))
    return false;
  const Channel& channel = table.channels[0];
  const std::string place = table.name.substr(table.name.rfind('.') + 1);
  const bool called = [&] {
    for (const std::string& name : {channel.name, place})
      if (is_time_key(name) || is_frequency_key(name)) return true;
    return is_time_title(channel);
  }();
  return called || (is_abscissa_key(channel.name) && rises_evenly(table.columns[0]));
}

}  // namespace

void join_lone_axes(std::vector<JsonTable>& tables) {
  std::vector<std::size_t> lone;
  for (std::size_t k = 0; k < tables.size(); ++k)
    if (is_lone_axis(tables[k])) lone.push_back(k);
  std::vector<bool> used(tables.size(), false);
  for (std::size_t k = 0; k < tables.size(); ++k) {
    JsonTable& table = tables[k];
    if (!table.axis.empty() || table.interval_s > 0 || is_lone_axis(table)) continue;
    std::vector<std::size_t> fitting;
    for (const std::size_t a : lone)
      if (tables[a].length() == table.length()) fitting.push_back(a);
    if (fitting.size() != 1) continue;
    const JsonTable& of = tables[fitting[0]];
    JsonSeries series;
    series.key = of.channels[0].name, series.values = of.columns[0];
    if (!of.channels[0].unit.dimensionless()) series.unit = of.channels[0].unit.text();
    series.assumed_axis = is_abscissa_key(series.key);
    take_json_axis(table, series);
    used[fitting[0]] = true;
  }
  std::vector<JsonTable> out;
  for (std::size_t k = 0; k < tables.size(); ++k)
    if (!used[k]) out.push_back(std::move(tables[k]));
  tables = std::move(out);
}

}  // namespace vprism
