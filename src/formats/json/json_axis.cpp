// json_axis.cpp: see json_axis.h.
#include "formats/json/json_axis.h"

#include "base/text.h"
#include "formats/documents/key_meaning.h"
#include "formats/json/json_shapes.h"
#include "formats/text/clock/clock.h"
#include "formats/text/tables/text_columns.h"

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

}  // namespace vprism
