// text_stream.h: a text file as UTF-8 from a given place on, whatever coding it is in.
#pragma once

#include <functional>
#include <span>
#include <string>

#include "formats/files/input_file.h"

namespace vprism {

enum class TextCoding { utf8, utf16_little, utf16_big };

/// By the byte-order mark, or by the zeros that UTF-16 puts beside Latin letters.
TextCoding coding_of(std::string_view head);

/// UTF-16 bytes as UTF-8; an odd last byte or half a surrogate pair is left for the next call by `used`.
std::string utf8_from_utf16(std::string_view bytes, bool big, std::size_t& used);
/// Text that is not valid UTF-8 is read as Windows-1252, the usual 8-bit coding of instruments, or as another
/// of its bytes' likeness (legacy_text.h).
std::string utf8_from_any(std::string_view text);

/// Lines that end in carriage returns, without a line feed.
bool has_bare_returns(std::string_view head);

/// Appends what stands in place of a line, which has its end.
using LineRewriter = std::function<void(std::string_view line, std::string& out)>;
/// All lines of a text rewritten; what stands behind the last line end is a line as well.
std::string rewritten_lines(std::string_view text, const LineRewriter& rewrite);

class TextStream {
 public:
  /// `rewrite`, if given, is put in place of every line.
  TextStream(InputFile file, TextCoding coding, LineRewriter rewrite = {}, bool bare_returns = false)
      : file_(std::move(file)), coding_(coding), rewrite_(std::move(rewrite)), bare_returns_(bare_returns) {}
  /// Goes to `offset` bytes of UTF-8, as rewritten, behind the file's first byte (its byte-order mark
  /// included in 8-bit codings, left out in UTF-16).
  void seek(std::uint64_t offset);
  /// Puts at most to.size() bytes of UTF-8 there; 0 when nothing is left.
  std::size_t read(std::span<char> to);
  const InputFile& file() const { return file_; }

 private:
  InputFile file_;
  /// Decodes and rewrites what was read; false when there is no more.
  bool decode_more();
  bool as_it_is() const { return coding_ == TextCoding::utf8 && !rewrite_ && !bare_returns_; }

  TextCoding coding_;
  LineRewriter rewrite_;
  bool bare_returns_;
  std::uint64_t at_ = 0, skip_ = 0;
  std::string raw_, cut_, decoded_;  ///< Bytes not yet decoded; half a line; text not yet handed on.
};

}  // namespace vprism
