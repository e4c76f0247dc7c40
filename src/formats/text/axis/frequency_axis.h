// frequency_axis.h: columns of a text table that hold frequencies, by their titles, their numbers, or what
// the settings say.
#pragma once

#include <optional>
#include <utility>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// "f", "Frequency".
bool is_frequency_title(const Channel& column);
/// "Hz", "kHz": a unit of frequency in place of a title.
std::optional<Unit> frequency_unit_as_title(const Channel& column);

/// Whether numbers without a title are frequencies: by equal ratios over a decade and more, as no times are,
/// or by the steps that a setting says ("dF,1.25").
bool are_frequencies(const TextLayout& layout, const std::vector<double>& numbers);

/// Frequencies in equal ratios, up or down, beside parts of complex numbers: the points of a response, though
/// the rows say when they were measured as well.
std::optional<std::size_t> column_of_response(const TextLayout& layout, std::span<const TextLine> lines,
                                              std::size_t first, std::size_t last);

/// Where levels stand alone and the lines above say which frequencies they were swept over, as centre and
/// span or as start and stop: those two, in Hz.
bool is_swept(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last);
std::optional<std::pair<double, double>> swept_frequencies(const TextLayout& layout);

/// Of the points of a response, frequencies in equal ratios beside parts of complex numbers: when they were
/// measured is no channel.
void leave_out_times_of_response(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                                 std::size_t last);

}  // namespace vprism
