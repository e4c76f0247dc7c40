// clock_words.h: what dates and times have in words: months, days of the week, zones, units of time.
#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

namespace vprism {

/// A month by its word, three letters or more, in English, German, French, Spanish, Italian or Dutch, taken
/// off the text; 0 when there is none.
int month_word(std::string_view& text);
/// Hours ahead of UTC of what clocks call themselves; 0 of words that are not known, whose clock stands as it
/// is; nothing where the text is no such word.
std::optional<double> zone_word(std::string_view text);
/// Without the day of the week in front: "Mon, ".
std::string_view without_weekday(std::string_view text);
/// Nanoseconds of "1h02m03.5s", "2 min 5 s", "3d 4h": two units or more, the greater first; also
/// "PT1H2M3.5S".
std::optional<std::int64_t> parse_duration_words(std::string_view text);

}  // namespace vprism
