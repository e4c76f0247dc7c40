// text_end.h: where a text ends within its file: what is set aside beforehand, or padded to whole sectors,
// has NULs behind it; old programs close a text with Ctrl-Z.
#pragma once

#include "formats/files/input_file.h"
#include "formats/format.h"

namespace vprism {

/// The head of the text alone, its size without the padding.
FileHead without_padding(const FileHead& head);
/// The text of a head that `without_padding` gave.
InputFile text_file(const FileHead& head);

}  // namespace vprism
