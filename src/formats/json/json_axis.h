// json_axis.h: a member that is the axis of its neighbours.
#pragma once

#include "formats/json/json_series.h"
#include "formats/json/json_tables.h"

namespace vprism {

bool is_json_time(const JsonSeries& series, const Channel& channel);

/// The series becomes the table's axis, in seconds or hertz; counts since 1970 from their first.
void take_json_axis(JsonTable& table, JsonSeries& series);

/// {"frequency": [...], "H": {"re": [...], "im": [...]}}: times or frequencies that stand alone are the axis
/// of tables as long that have none.
void join_lone_axes(std::vector<JsonTable>& tables);

}  // namespace vprism
