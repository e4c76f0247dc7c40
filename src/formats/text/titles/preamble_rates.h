// preamble_rates.h: rates and scales as the lines above a table write them.
#pragma once

#include <string>
#include <string_view>

namespace vprism {

/// What a unit such as "kS/s" is worth in samples per second; 0 for any other.
double samples_per_second(std::string unit);
/// "48 000 Hz": digits set apart in threes by blanks become "48000 Hz".
void join_threes(std::string& text);
/// "Sampling 50Hz 3ch", "sampled at 2 kHz by unit 4": the one frequency in a line that speaks of sampling, as
/// "50 Hz"; "" for none.
std::string rate_among_words(std::string_view text);
/// Whether a value says what a count of a converter is worth: "0.5 mV/LSB", "3.05e-4 V/count".
bool is_worth_of_a_count(std::string_view value);

}  // namespace vprism
