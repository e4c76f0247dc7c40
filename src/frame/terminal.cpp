// terminal.cpp: see terminal.h.
#include "frame/terminal.h"

#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <cstring>

#include "base/text.h"
#include "base/text_width.h"
#include "render/text_figure.h"

namespace vprism {

namespace {

/// 0 where it is no terminal, or one that does not say.
std::size_t columns_of(int descriptor) {
  winsize size{};
  if (::isatty(descriptor) == 0 || ::ioctl(descriptor, TIOCGWINSZ, &size) != 0) return 0;
  return size.ws_col == 0 ? 0 : std::max<std::size_t>(size.ws_col, 40);
}

bool has_colours(int descriptor) {
  const char* const none = std::getenv("NO_COLOR");
  const char* const kind = std::getenv("TERM");
  return ::isatty(descriptor) != 0 && (none == nullptr || *none == '\0') && kind != nullptr &&
         std::strcmp(kind, "dumb") != 0;
}

struct Tone {
  const char* word;  ///< At the beginning of a line.
  const char* code;
};
constexpr Tone tones[] = {{"PASS", "1;32"},   {"FAIL", "1;31"}, {"serious:", "1;31"},
                          {"warning:", "33"}, {"note:", "36"},  {"vprism: warning:", "33"},
                          {"vprism:", "1;31"}};

std::string coloured(const std::string& text) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size() - 1) + 1;
    const std::string line = text.substr(at, end - at);
    const std::size_t indent = std::min(line.find_first_not_of(' '), line.size());
    const auto tone = std::find_if(std::begin(tones), std::end(tones), [&](const Tone& t) {
      return line.compare(indent, std::strlen(t.word), t.word) == 0;
    });
    if (tone == std::end(tones)) {
      out += line;
    } else {
      const std::size_t behind = indent + std::strlen(tone->word);
      out +=
          line.substr(0, indent) + "\033[" + tone->code + "m" + tone->word + "\033[0m" + line.substr(behind);
    }
    at = end;
  }
  return out;
}

std::string shown(const std::string& text, int descriptor) {
  const std::string fits = folded(text, columns_of(descriptor));
  return has_colours(descriptor) ? coloured(fits) : fits;
}

}  // namespace

void settle_terminal() { set_text_width(columns_of(STDOUT_FILENO)); }

std::size_t terminal_rows() {
  winsize size{};
  return ::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_row > 0 ? size.ws_row : 24;
}

std::string terminal_figure(const Figure& figure, std::size_t rows) {
  const std::size_t columns = columns_of(STDOUT_FILENO);
  return text_figure(figure, columns == 0 ? 100 : columns, has_colours(STDOUT_FILENO), rows);
}

std::string for_standard_output(const std::string& text) { return shown(text, STDOUT_FILENO); }
std::string for_standard_error(const std::string& text) { return shown(text, STDERR_FILENO); }

}  // namespace vprism
