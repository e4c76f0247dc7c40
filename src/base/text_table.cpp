// text_table.cpp: tables of text, as wide as their contents or as a terminal allows; see text.h and
// text_width.h.
#include <locale.h>
#include <wchar.h>

#include <algorithm>
#include <numeric>

#include "base/text.h"
#include "base/text_width.h"

namespace vprism {

namespace {

std::size_t columns_of_text = 0;

/// The code point at `at`, which is moved behind it.
char32_t next_code_point(std::string_view text, std::size_t& at) {
  const auto byte = [&](std::size_t i) {
    return static_cast<char32_t>(i < text.size() ? static_cast<unsigned char>(text[i]) : 0);
  };
  const char32_t first = byte(at);
  const std::size_t more = first < 0xC0 ? 0 : first < 0xE0 ? 1 : first < 0xF0 ? 2 : 3;
  char32_t point = more == 0 ? first : first & (0x3FU >> more);
  for (std::size_t i = 1; i <= more; ++i) point = point << 6U | (byte(at + i) & 0x3FU);
  at += 1 + more;
  return point;
}

/// Columns of one code point, whatever the locale that the program was started in.
std::size_t columns_of(char32_t point) {
  static const locale_t utf8 = ::newlocale(LC_CTYPE_MASK, "C.UTF-8", nullptr);
  if (utf8 == nullptr) return 1;
  const locale_t before = ::uselocale(utf8);
  const int width = ::wcwidth(static_cast<wchar_t>(point));
  ::uselocale(before);
  return width < 0 ? 1 : static_cast<std::size_t>(width);
}

using Cells = std::vector<std::string>;

/// Rows of cells that may take several lines each.
class Layout {
 public:
  Layout(const std::vector<TextTable::Column>& columns, const std::vector<Cells>& rows)
      : columns_(columns), rows_(rows) {
    for (std::size_t c = 0; c < columns.size(); ++c) {
      width_.push_back(display_width(columns[c].title));
      for (const Cells& row : rows) width_[c] = std::max(width_[c], display_width(row[c]));
    }
  }

  std::size_t total(const std::vector<std::size_t>& shown) const {
    std::size_t sum = shown.empty() ? 0 : 2 * (shown.size() - 1);
    for (const std::size_t c : shown) sum += width_[c];
    return sum;
  }

  /// Titles of numbers are broken first, then the widest text, as long as it is wide.
  void shrink_to(std::size_t room) {
    std::vector<std::size_t> all(columns_.size());
    std::iota(all.begin(), all.end(), std::size_t{0});
    for (std::size_t c = 0; c < columns_.size() && total(all) > room; ++c)
      if (columns_[c].align == TextTable::Align::right) {
        std::size_t needed = longest_word(columns_[c].title);
        for (const Cells& row : rows_) needed = std::max(needed, display_width(row[c]));
        width_[c] = needed;
      }
    // Text is broken between words first, and only then within them.
    for (const bool within : {false, true}) {
      std::vector<std::size_t> narrowest;
      for (std::size_t c = 0; c < columns_.size(); ++c) {
        std::size_t word = longest_word(columns_[c].title);
        for (const Cells& row : rows_) word = std::max(word, longest_word(row[c]));
        narrowest.push_back(std::max<std::size_t>(within ? std::min<std::size_t>(word, 12) : word, 6));
      }
      while (total(all) > room) {
        std::size_t widest = columns_.size();
        for (std::size_t c = 0; c < columns_.size(); ++c)
          if (columns_[c].align == TextTable::Align::left && width_[c] > narrowest[c] &&
              (widest == columns_.size() || width_[c] > width_[widest]))
            widest = c;
        if (widest == columns_.size()) break;
        --width_[widest];
      }
    }
  }

  /// Columns in groups that fit, the first one at the head of each.
  std::vector<std::vector<std::size_t>> groups(std::size_t room) const {
    std::vector<std::vector<std::size_t>> out(1);
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      std::vector<std::size_t>& last = out.back();
      last.push_back(c);
      if (room == 0 || total(last) <= room || last.size() <= (out.size() > 1 ? 2U : 1U)) continue;
      last.pop_back();
      out.push_back(c > 0 ? std::vector<std::size_t>{0, c} : std::vector<std::size_t>{c});
    }
    return out;
  }

  std::string text(const std::vector<std::size_t>& shown, std::string_view indent) const {
    std::string out;
    Cells titles, rule;
    for (std::size_t c = 0; c < columns_.size(); ++c)
      titles.push_back(columns_[c].title), rule.emplace_back(width_[c], '-');
    add(titles, shown, indent, out);
    add(rule, shown, indent, out);
    for (const Cells& row : rows_) add(row, shown, indent, out);
    return out;
  }

 private:
  static std::size_t longest_word(const std::string& text) {
    std::size_t longest = 0;
    for (const std::string& word : split(text, ' ')) longest = std::max(longest, display_width(word));
    return longest;
  }

  void add(const Cells& row, const std::vector<std::size_t>& shown, std::string_view indent,
           std::string& out) const {
    std::vector<Cells> lines;
    std::size_t height = 1;
    for (const std::size_t c : shown) {
      lines.push_back(display_width(row[c]) <= width_[c] ? Cells{row[c]} : wrapped(row[c], width_[c]));
      height = std::max(height, lines.back().size());
    }
    for (std::size_t l = 0; l < height; ++l) {
      std::string line(indent);
      for (std::size_t i = 0; i < shown.size(); ++i) {
        const std::string cell = l < lines[i].size() ? lines[i][l] : "";
        const std::string blanks(width_[shown[i]] - display_width(cell), ' ');
        line += i == 0 ? "" : "  ";
        line += columns_[shown[i]].align == TextTable::Align::left ? cell + blanks : blanks + cell;
      }
      line.erase(line.find_last_not_of(' ') + 1);
      out += line + "\n";
    }
  }

  const std::vector<TextTable::Column>& columns_;
  const std::vector<Cells>& rows_;
  std::vector<std::size_t> width_;
};

}  // namespace

std::size_t text_width() { return columns_of_text; }
void set_text_width(std::size_t columns) { columns_of_text = columns; }

std::size_t display_width(std::string_view text) {
  std::size_t width = 0;
  for (std::size_t at = 0; at < text.size();)
    if (static_cast<unsigned char>(text[at]) < 0x80)
      ++width, ++at;
    else
      width += columns_of(next_code_point(text, at));
  return width;
}

std::vector<std::string> wrapped(std::string_view text, std::size_t width) {
  width = std::max<std::size_t>(width, 1);
  std::vector<std::string> lines(1);
  std::size_t used = 0;
  for (const std::string& word : split(text, ' ')) {
    const std::size_t needed = display_width(word);
    if (used > 0 && used + 1 + needed <= width) {
      lines.back() += " " + word, used += 1 + needed;
      continue;
    }
    if (used > 0 || (lines.size() > 1 && !lines.back().empty())) lines.emplace_back(), used = 0;
    for (std::size_t at = 0; at < word.size();) {
      const std::size_t from = at;
      const std::size_t columns = static_cast<unsigned char>(word[at]) < 0x80 ? ++at,
                        1 : columns_of(next_code_point(word, at));
      if (used + columns > width && used > 0) lines.emplace_back(), used = 0;
      lines.back() += word.substr(from, at - from);
      used += columns;
    }
  }
  return lines;
}

std::string folded(std::string_view text, std::size_t width) {
  if (width == 0) return std::string(text);
  std::string out;
  const std::vector<std::string> lines = split(text, '\n');
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const std::string& line = lines[i];
    if (display_width(line) <= width) {
      out += line;
    } else {
      const std::size_t indent = std::min(line.find_first_not_of(' '), width / 2);
      const std::string inner(std::min(indent + 2, width / 2), ' ');
      const std::vector<std::string> parts = wrapped(line.substr(indent), width - inner.size());
      for (std::size_t p = 0; p < parts.size(); ++p)
        out += (p == 0 ? std::string(indent, ' ') : "\n" + inner) + parts[p];
    }
    if (i + 1 < lines.size()) out += "\n";
  }
  return out;
}

void TextTable::add(std::vector<std::string> cells) {
  cells.resize(columns_.size());
  rows_.push_back(std::move(cells));
}

std::string TextTable::text(std::string_view indent) const {
  Layout layout(columns_, rows_);
  const std::size_t room = text_width() > indent.size() ? text_width() - indent.size() : 0;
  if (room > 0) layout.shrink_to(room);
  std::string out;
  for (const std::vector<std::size_t>& shown : layout.groups(room))
    out += (out.empty() ? "" : "\n") + layout.text(shown, indent);
  return out;
}

}  // namespace vprism
