// text_end.cpp: see text_end.h.
#include "formats/text/rows/text_end.h"

#include <algorithm>

namespace vprism {

namespace {

bool pads(char c) { return c == '\0' || c == '\x1A'; }

}  // namespace

FileHead without_padding(const FileHead& head) {
  FileHead out = head;
  const InputFile file(head.path);
  constexpr std::uint64_t some = 1 << 18;
  std::uint64_t end = head.size;
  std::string piece;
  while (end > 0) {
    const std::uint64_t from = end - std::min(end, some);
    piece = file.text(from, static_cast<std::size_t>(end - from));
    const auto last = std::find_if_not(piece.rbegin(), piece.rend(), pads);
    end = from + static_cast<std::uint64_t>(piece.rend() - last);
    if (last != piece.rend()) break;
  }
  out.size = end;
  if (out.bytes.size() > end) out.bytes.resize(static_cast<std::size_t>(end));
  return out;
}

InputFile text_file(const FileHead& head) {
  InputFile file(head.path);
  if (head.size < file.size()) file.end_at(head.size);
  return file;
}

}  // namespace vprism
