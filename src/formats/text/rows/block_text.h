// block_text.h: a whole waveform in one line, as instruments answer: "#6002387-0.5,0.25,...", settings before
// it.
#pragma once

#include <string>
#include <string_view>

namespace vprism {

/// Where the text begins with a block of definite length (IEEE 488.2, 8.7.9: '#', how many digits, so many
/// digits) of numbers as text, or with settings and numbers parted by semicolons
/// (":WFM:XINCR 1E-3;XZERO 0;:CURVE -5,3,..."): without the block's head, and with a line "XINCR: 1E-3" for
/// each setting. All else stays as it is.
/// `cut`, if given, is set where fewer characters follow than the head says.
std::string unfolded_block(std::string text, bool* cut = nullptr);

}  // namespace vprism
