// yaml_recording.cpp: see yaml_recording.h.
#include "formats/documents/yaml_recording.h"

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/text.h"
#include "formats/containers.h"
#include "formats/files/input_file.h"
#include "formats/json/json_recording.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

constexpr std::uint64_t most_yaml_bytes = std::uint64_t{32} << 20;

bool is_yaml_number(std::string_view text) {
  double value = 0;
  return parse_cell(trimmed(text), '.', value);
}

/// Where the value begins behind "key: "; npos for any other line.
std::size_t behind_key(std::string_view line) {
  std::size_t colon = 0;
  if (!line.empty() && (line[0] == '"' || line[0] == '\'')) {
    colon = line.find(line[0], 1);
    if (colon == std::string_view::npos) return colon;
    ++colon;
  } else {
    // No key begins with a digit: clock times do.
    if (line.empty() || !(std::isalpha(static_cast<unsigned char>(line[0])) != 0 || line[0] == '_'))
      return std::string_view::npos;
    colon = line.find(':');
  }
  if (colon >= line.size() || line[colon] != ':') return std::string_view::npos;
  return colon + 1 == line.size() || line[colon + 1] == ' ' ? colon + 1 : std::string_view::npos;
}

}  // namespace

bool recognises_yaml(const FileHead& head) {
  std::string_view text = head.bytes;
  if (starts_with(text, "\xEF\xBB\xBF")) text.remove_prefix(3);
  const bool whole = head.bytes.size() >= head.size;
  std::size_t items = 0, keys = 0, documents = 0, open = 0;
  bool lists = false;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.size(), text.find('\n', at));
    if (end == text.size() && !whole) break;  // Cut by the head's end.
    std::string_view line = trimmed(text.substr(at, end - at));
    at = end + 1;
    if (line.empty() || line[0] == '#' || starts_with(line, "%YAML")) continue;
    const auto brackets = [&](std::string_view of) {
      for (const char c : of)
        open = c == '[' || c == '{' ? open + 1 : (c == ']' || c == '}') && open > 0 ? open - 1 : open;
    };
    if (open > 0) {
      brackets(line);
      continue;
    }
    if (line == "---" || starts_with(line, "--- ") || line == "...") {
      ++documents;
      continue;
    }
    bool item = false;
    while (starts_with(line, "- ") || line == "-") item = true, line = trimmed(line.substr(1));
    items += item ? 1 : 0;
    const std::size_t value = behind_key(line);
    if (value == std::string_view::npos) {
      if (!item) return false;
      lists = lists || is_yaml_number(line) || (!line.empty() && line[0] == '[');
      brackets(line);
      continue;
    }
    ++keys;
    std::string_view behind = trimmed(line.substr(value));
    if (starts_with(behind, "&")) behind = trimmed(behind.substr(std::min(behind.size(), behind.find(' '))));
    lists = lists || (behind.size() > 1 && behind[0] == '[') || (item && !behind.empty());
    if (!behind.empty() && (behind[0] == '[' || behind[0] == '{')) brackets(behind);
  }
  return keys > 0 && ((lists && open < 8) || (documents > 2 && items == 0 && keys > documents));
}

std::unique_ptr<SampleSource> open_yaml(const FileHead& head, const ReadSettings& settings) {
  if (head.size > most_yaml_bytes)
    throw Error(Status::input, head.path + ": a YAML document of more than 32 MB; export it as HDF5 or CSV");
  InputFile file(head.path);
  file.pass_on_to(settings.digest);
  nlohmann::ordered_json document;
  try {
    read_yaml(file.text(0, static_cast<std::size_t>(file.size())), document);
  } catch (const Error& error) {
    throw Error(Status::input, head.path + ": damaged YAML: " + error.what() + "; write it again");
  }
  return open_document(head, settings, "YAML", document);
}

}  // namespace vprism
