// html_tables.cpp: see html_tables.h. Pages as programs export them: tags are taken as they come, and those
// that authors leave out (</td>, </tr>) are not missed.
#include "formats/documents/html_tables.h"

#include <algorithm>
#include <charconv>
#include <optional>

#include "base/text.h"
#include "formats/files/input_file.h"

namespace vprism {

namespace {

/// Bytes of a page one after another.
class PageReader {
 public:
  explicit PageReader(const InputFile& file) : file_(file) {}
  int get() {
    if (at_ == buffer_.size()) {
      buffer_ = file_.text(next_, 1 << 18);
      next_ += buffer_.size();
      at_ = 0;
      if (buffer_.empty()) return -1;
    }
    return static_cast<unsigned char>(buffer_[at_++]);
  }

 private:
  const InputFile& file_;
  std::uint64_t next_ = 0;
  std::string buffer_;
  std::size_t at_ = 0;
};

void append_code_point(std::string& out, std::uint32_t code) {
  const auto put = [&out](std::uint32_t byte) { out += static_cast<char>(byte); };
  if (code < 0x80) {
    put(code);
  } else if (code < 0x800) {
    put(0xC0 | code >> 6), put(0x80 | (code & 0x3F));
  } else if (code < 0x10000) {
    put(0xE0 | code >> 12), put(0x80 | (code >> 6 & 0x3F)), put(0x80 | (code & 0x3F));
  } else if (code < 0x110000) {
    put(0xF0 | code >> 18), put(0x80 | (code >> 12 & 0x3F)), put(0x80 | (code >> 6 & 0x3F)),
        put(0x80 | (code & 0x3F));
  }
}

/// Text with its entities put in.
std::string without_entities(std::string_view text) {
  static constexpr std::pair<std::string_view, std::string_view> named[] = {
      {"amp", "&"},    {"lt", "<"},     {"gt", ">"},     {"quot", "'"},  {"apos", "'"},  {"nbsp", " "},
      {"deg", "°"},    {"micro", "µ"},  {"mu", "µ"},     {"Omega", "Ω"}, {"ohm", "Ω"},   {"minus", "-"},
      {"sup2", "²"},   {"sup3", "³"},   {"middot", "·"}, {"radic", "√"}, {"times", "×"}, {"plusmn", "±"},
      {"permil", "‰"}, {"thinsp", " "}, {"ensp", " "},   {"emsp", " "},  {"infin", "∞"}, {"ang", "∠"}};
  std::string out;
  while (!text.empty()) {
    const std::size_t at = std::min(text.find('&'), text.size());
    out += text.substr(0, at);
    text.remove_prefix(at);
    const std::size_t end = text.find(';');
    if (text.empty()) break;
    const std::string_view name = end == std::string_view::npos || end > 12 ? "" : text.substr(1, end - 1);
    const auto known = std::find_if(std::begin(named), std::end(named),
                                    [&](const auto& entry) { return entry.first == name; });
    if (known != std::end(named)) {
      out += known->second;
    } else if (name.size() > 1 && name[0] == '#') {
      const bool hex = name[1] == 'x' || name[1] == 'X';
      std::uint32_t code = 0;
      const std::string_view digits = name.substr(hex ? 2 : 1);
      std::from_chars(digits.data(), digits.data() + digits.size(), code, hex ? 16 : 10);
      append_code_point(out, code == 0xA0 || code == 0x202F ? ' ' : code);
    } else {
      out += '&';
      text.remove_prefix(1);
      continue;
    }
    text.remove_prefix(end + 1);
  }
  return out;
}

/// The value of an attribute that counts: rowspan="2".
std::int64_t counted(std::string_view tag, std::string_view attribute) {
  const std::size_t at = tag.find(std::string(attribute) + "=");
  if (at == std::string_view::npos) return 1;
  tag.remove_prefix(at + attribute.size() + 1);
  while (!tag.empty() && (tag[0] == '"' || tag[0] == '\'')) tag.remove_prefix(1);
  std::int64_t value = 1;
  std::from_chars(tag.data(), tag.data() + tag.size(), value);
  return std::clamp<std::int64_t>(value, 1, 1000);
}

bool is_html_number(std::string_view text) {
  text = trimmed(text);
  return text.find_first_of("0123456789") != std::string_view::npos &&
         text.find_first_not_of("0123456789+-.,:eE/TZ \xE2\x88\x92") == std::string_view::npos;
}

/// The table in hand.
class Tables {
 public:
  explicit Tables(SheetWriter& writer) : writer_(writer) {}

  void text(std::string_view raw) {
    if (in_cell_ && cell_.size() < most_of_cell) cell_ += raw;
    if (in_caption_ && caption_.size() < 400) caption_ += raw;
  }

  /// `tag`: all between the angles, in small letters.
  void tag(std::string_view tag) {
    const std::string_view name = tag.substr(0, tag.find_first_of(" \t\r\n/", tag[0] == '/' ? 1 : 0));
    if (name == "table") {
      // What holds another table only arranges it.
      close();
      open_ = true;
    } else if (name == "/table") {
      close();
      open_ = false;
    } else if (!open_) {
      return;
    } else if (name == "caption") {
      in_caption_ = true;
    } else if (name == "/caption") {
      in_caption_ = false;
    } else if (name == "tr") {
      end_row();
    } else if (name == "td" || name == "th") {
      end_cell();
      while (column_ < covered_.size() && covered_[column_] > 0) ++column_;
      in_cell_ = true;
      columns_ = counted(tag, "colspan"), rows_ = counted(tag, "rowspan");
    } else if (name == "/td" || name == "/th") {
      end_cell();
    } else if (name == "/tr") {
      end_row();
    } else if (name == "br" || name == "/p" || name == "/div" || name == "li") {
      text(" ");
    }
  }

  void close() {
    end_row();
    if (begun_) writer_.end();
    begun_ = in_caption_ = false;
    caption_.clear();
    row_ = 0, column_ = 0;
    covered_.clear();
  }

 private:
  static constexpr std::size_t most_of_cell = 4096;

  void end_cell() {
    if (!in_cell_) return;
    in_cell_ = false;
    const std::string words = without_entities(cell_);
    cell_.clear();
    if (!begun_) {
      ++count_;
      const std::string caption = std::string(trimmed(without_entities(caption_)));
      writer_.begin(caption.empty() ? "table " + std::to_string(count_) : caption);
      begun_ = true;
    }
    writer_.cell(row_, static_cast<std::int64_t>(column_), words, is_html_number(words), columns_);
    row_used_ = true;
    const std::size_t end = column_ + static_cast<std::size_t>(columns_);
    if (end > SheetWriter::most_columns) writer_.fail("a table of more than 16,384 columns");
    if (covered_.size() < end) covered_.resize(end, 0);
    for (; column_ < end; ++column_) covered_[column_] = rows_;
  }

  void end_row() {
    end_cell();
    if (!row_used_) return;
    ++row_;
    column_ = 0;
    row_used_ = false;
    for (std::int64_t& rows : covered_) rows = std::max<std::int64_t>(rows - 1, 0);
  }

  SheetWriter& writer_;
  bool open_ = false, begun_ = false, in_cell_ = false, in_caption_ = false, row_used_ = false;
  std::string cell_, caption_;
  std::int64_t row_ = 0, columns_ = 1, rows_ = 1;
  std::size_t column_ = 0, count_ = 0;
  std::vector<std::int64_t> covered_;  ///< Rows, this one too, that cells above reach into, by column.
};

/// A tag, from behind its angle on: in small letters, without what is in between comments.
std::optional<std::string> rest_of_tag(PageReader& page) {
  std::string tag;
  char quote = 0;
  for (int c = page.get(); c >= 0; c = page.get()) {
    const char letter = static_cast<char>(c);
    if (starts_with(tag, "!--")) {
      if (letter == '>' && tag.size() > 4 && tag.substr(tag.size() - 2) == "--") return tag;
      tag += letter;
      if (tag.size() > 1000) tag.erase(3, 900);
      continue;
    }
    if (quote == 0 && letter == '>') return tag;
    if (letter == quote)
      quote = 0;
    else if (quote == 0 && !tag.empty() && tag.back() == '=' && (letter == '"' || letter == '\''))
      quote = letter;
    if (tag.size() < 2000) tag += static_cast<char>(std::tolower(c));
  }
  return std::nullopt;
}

/// All up to the end of a script or of a style.
void skip_until(PageReader& page, const std::string& end) {
  std::string last;
  for (int c = page.get(); c >= 0; c = page.get()) {
    last += static_cast<char>(std::tolower(c));
    if (last.size() > end.size()) last.erase(0, last.size() - end.size());
    if (last == end) return;
  }
}

}  // namespace

bool recognises_page(const FileHead& head) {
  std::string_view top = std::string_view(head.bytes).substr(0, 4096);
  if (starts_with(top, "\xEF\xBB\xBF")) top.remove_prefix(3);
  const std::string low = lower_case(trimmed(top));
  if (!starts_with(low, "<")) return false;
  return starts_with(low, "<!doctype html") || low.find("<html") != std::string::npos ||
         starts_with(low, "<table") || starts_with(low, "<meta");
}

void write_page_tables(const FileHead& head, SheetWriter& writer) {
  const InputFile file(head.path);
  PageReader page(file);
  Tables tables(writer);
  std::string text;
  for (int c = page.get(); c >= 0; c = page.get()) {
    if (c != '<') {
      text += static_cast<char>(c);
      if (text.size() >= 4096) tables.text(text), text.clear();
      continue;
    }
    tables.text(text);
    text.clear();
    const auto tag = rest_of_tag(page);
    if (!tag) break;
    if (tag->empty() || (*tag)[0] == '!' || (*tag)[0] == '?') continue;
    for (const char* const whole : {"script", "style"})
      if (starts_with(*tag, whole)) skip_until(page, std::string("</") + whole);
    tables.tag(*tag);
  }
  tables.close();
}

}  // namespace vprism
