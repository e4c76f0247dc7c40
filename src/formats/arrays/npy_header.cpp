// npy_header.cpp: see npy_header.h.
#include "formats/arrays/npy_header.h"

#include <cctype>
#include <cstring>
#include <string_view>

#include "base/error.h"
#include "base/text.h"
#include "formats/arrays/number_type.h"

namespace vprism {

void refuse_npy_header(const std::string& file, const std::string& what) {
  throw Error(Status::input, file + ": damaged array header: " + what + "; write it again");
}

namespace {

/// The few Python literals that a header is made of.
class Literals {
 public:
  Literals(std::string_view text, const std::string& file) : text_(text), file_(file) {}

  bool take(char c) {
    skip();
    if (text_.empty() || text_.front() != c) return false;
    text_.remove_prefix(1);
    return true;
  }
  void need(char c) {
    if (!take(c)) refuse_npy_header(file_, std::string("'") + c + "' expected");
  }
  std::string string() {
    skip();
    if (text_.empty() || (text_.front() != '\'' && text_.front() != '"'))
      refuse_npy_header(file_, "a text expected");
    const char quote = text_.front();
    const std::size_t end = text_.find(quote, 1);
    if (end == std::string_view::npos) refuse_npy_header(file_, "a text without end");
    std::string out(text_.substr(1, end - 1));
    text_.remove_prefix(end + 1);
    return out;
  }
  bool next_is_string() {
    skip();
    return !text_.empty() && (text_.front() == '\'' || text_.front() == '"');
  }
  std::string word() {
    skip();
    std::size_t n = 0;
    while (n < text_.size() && std::isalnum(static_cast<unsigned char>(text_[n]))) ++n;
    std::string out(text_.substr(0, n));
    text_.remove_prefix(n);
    return out;
  }
  std::vector<std::uint64_t> tuple() {
    std::vector<std::uint64_t> out;
    need('(');
    while (!take(')')) {
      std::string digits = word();
      if (digits.ends_with('L')) digits.pop_back();  // As old writers did.
      if (digits.empty() || digits.size() > 18 || digits.find_first_not_of("0123456789") != std::string::npos)
        refuse_npy_header(file_, "a length expected in the shape");
      out.push_back(std::stoull(digits));
      if (out.size() > 8) refuse_npy_header(file_, "more than 8 dimensions");
      take(',');
    }
    return out;
  }

 private:
  void skip() {
    while (!text_.empty() && std::isspace(static_cast<unsigned char>(text_.front()))) text_.remove_prefix(1);
  }
  std::string_view text_;
  const std::string& file_;
};

/// "<M8[us]", "<m8[ns]": instants since 1970, and lengths of time.
bool take_date_type(NpyElement& e, const std::string& code) {
  static constexpr std::pair<std::string_view, double> units[] = {
      {"D", 86400}, {"h", 3600}, {"m", 60}, {"s", 1}, {"ms", 1e-3}, {"us", 1e-6}, {"ns", 1e-9}};
  if (code.size() < 6 || code.size() > 8 || (code[1] != 'M' && code[1] != 'm') || code[2] != '8' ||
      code[3] != '[' || code.back() != ']')
    return false;
  for (const auto& [name, seconds] : units)
    if (std::string_view(code).substr(4, code.size() - 5) == name) e.unit_s = seconds;
  e.big = code[0] == '>', e.kind = code[1], e.size = 8;
  return e.unit_s > 0;
}

/// "<U8", "|S12": texts of so many characters.
bool take_text_type(NpyElement& e, const std::string& code) {
  const std::size_t at = !code.empty() && std::strchr("<>=|", code[0]) != nullptr ? 1 : 0;
  if (code.size() < at + 2 || code.size() > at + 5 || (code[at] != 'U' && code[at] != 'S') ||
      code.find_first_not_of("0123456789", at + 1) != std::string::npos)
    return false;
  e.big = code[0] == '>', e.kind = code[at];
  e.size = std::stoul(code.substr(at + 1)) * (e.kind == 'U' ? 4 : 1);
  return e.size > 0;
}

NpyElement element_of(const std::string& file, std::string name, const std::string& code, bool texts) {
  NpyElement e;
  e.name = clean_text(name);
  if (take_date_type(e, code) || (texts && take_text_type(e, code))) return e;
  if (code.size() < 2 || code.size() > 4)
    refuse_npy_header(file, "element type \"" + clean_text(code) + "\"");
  const bool ordered = std::strchr("<>=|", code[0]) != nullptr;
  e.big = code[0] == '>';
  e.kind = code[ordered ? 1 : 0];
  const std::string size = code.substr(ordered ? 2 : 1);
  if (size.empty() || size.find_first_not_of("0123456789") != std::string::npos)
    refuse_npy_header(file, "element type \"" + clean_text(code) + "\"");
  e.size = std::stoul(size);
  const bool complex = e.kind == 'c' && (e.size == 8 || e.size == 16);
  const char kind = e.kind == 'b' ? 'u' : e.kind;
  if (!complex && (e.kind == 'c' || find_number_type(kind, e.size, e.big) == nullptr))
    throw Error(Status::input,
                file + ": elements of type \"" + clean_text(code) +
                    "\" are no numbers that can be read here; write f8, f4 or an integer type");
  return e;
}

}  // namespace

NpyHeader parse_npy_header(const std::string& file, const std::string& bytes, bool texts) {
  if (bytes.size() < 10) refuse_npy_header(file, "too short");
  const auto byte = [&](std::size_t i) {
    return static_cast<std::uint64_t>(static_cast<unsigned char>(bytes[i]));
  };
  const std::uint64_t major = byte(6);
  if (major < 1 || major > 3) refuse_npy_header(file, "version " + std::to_string(major));
  const std::size_t begin = major == 1 ? 10 : 12;
  if (bytes.size() < begin) refuse_npy_header(file, "too short");
  const std::uint64_t length = byte(8) | byte(9) << 8 | (major == 1 ? 0 : byte(10) << 16 | byte(11) << 24);
  if (length > bytes.size() - begin)
    refuse_npy_header(file, "it does not end within the file's first 256 kB");
  NpyHeader header;
  header.data = begin + length;
  Literals text(std::string_view(bytes).substr(begin, static_cast<std::size_t>(length)), file);
  bool has_shape = false;
  text.need('{');
  while (!text.take('}')) {
    const std::string key = text.string();
    text.need(':');
    if (key == "descr" && text.next_is_string()) {
      header.elements.push_back(element_of(file, "", text.string(), texts));
    } else if (key == "descr") {
      text.need('[');
      while (!text.take(']')) {
        text.need('(');
        const std::string name = text.string();
        text.need(',');
        header.elements.push_back(element_of(file, name, text.string(), false));
        if (header.elements.size() > 4096) refuse_npy_header(file, "more than 4096 fields");
        text.take(',');
        text.need(')');
        text.take(',');
      }
    } else if (key == "fortran_order") {
      header.fortran = text.word() == "True";
    } else if (key == "shape") {
      header.shape = text.tuple();
      has_shape = true;
    } else {
      refuse_npy_header(file, "unknown key \"" + clean_text(key) + "\"");
    }
    text.take(',');
  }
  if (header.elements.empty() || !has_shape) refuse_npy_header(file, "descr or shape is missing");
  return header;
}

}  // namespace vprism
