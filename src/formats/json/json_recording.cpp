// json_recording.cpp: see json_recording.h. The document is held whole: it is bounded.
#include "formats/json/json_recording.h"

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/text.h"
#include "formats/files/input_file.h"
#include "formats/json/json_blocks.h"
#include "formats/json/json_parse.h"
#include "formats/json/json_plain.h"
#include "formats/json/json_tables.h"

namespace vprism {

namespace {

constexpr std::uint64_t most_json_bytes = std::uint64_t{256} << 20;

}  // namespace

namespace {

/// Nothing is wrong with it but that it is cut, or not before its four thousandth byte.
bool begins_a_document(std::string_view text) {
  constexpr std::size_t damage_from = 4096;
  try {
    return !nlohmann::json::parse(text).is_discarded();
  } catch (const nlohmann::json::parse_error& error) {
    return error.byte > damage_from || error.byte + 1 >= text.size();
  } catch (const nlohmann::json::exception&) {
    return true;
  }
}

}  // namespace

bool recognises_json(const FileHead& head) {
  std::string_view text = head.bytes;
  if (starts_with(text, "\xEF\xBB\xBF")) text.remove_prefix(3);
  text = text.substr(std::min(text.size(), text.find_first_not_of(" \t\r\n")));
  if (text.size() < 2 || (text[0] != '{' && text[0] != '[')) return false;
  const std::size_t next = text.find_first_not_of(" \t\r\n", 1);
  if (next == std::string_view::npos) return false;
  const std::string_view behind = text[0] == '{' ? "\"}" : "\"[{]-0123456789nNtf";
  if (behind.find(text[next]) == std::string_view::npos) return false;
  // A whole value in the first line and more behind it: a value in each line.
  const std::size_t end = text.find('\n');
  if (is_blocks_in_lines(text)) return true;
  if (!begins_a_document(text)) return false;
  if (end == std::string_view::npos) return true;
  std::string_view first = trimmed(text.substr(0, end));
  const bool more = text.find_first_not_of(" \t\r\n", end) != std::string_view::npos;
  if (!first.empty() && first.back() == ',') first.remove_suffix(1);
  return !more || !nlohmann::json::accept(first);
}

namespace {

/// The document, or a list of those in its lines where they are blocks; discarded where it is damaged. The
/// text is let go.
nlohmann::ordered_json read_json(const InputFile& file, const std::string& path, bool& in_lines) {
  const std::string text = file.text(0, static_cast<std::size_t>(file.size()));
  in_lines = is_blocks_in_lines(text);
  if (in_lines) return json_of_lines(text);
  // Deep nesting is refused before anything recurses.
  return parse_json(text, path);
}

}  // namespace

std::unique_ptr<SampleSource> open_json(const FileHead& head, const ReadSettings& settings) {
  if (head.size > most_json_bytes)
    throw Error(Status::input, head.path + ": a JSON document of more than 256 MB; export it as HDF5 or CSV");
  InputFile file(head.path);
  file.pass_on_to(settings.digest);
  bool in_lines = false;
  nlohmann::ordered_json document = read_json(file, head.path, in_lines);
  if (document.is_discarded())
    throw Error(Status::input, head.path + ": damaged JSON document: it can't be parsed; write it again");
  if (document.is_object() && document.contains("vprism") && document.contains("command"))
    throw Error(Status::input, head.path +
                                   ": is a result document of this program, not a recording; its "
                                   "inputs name the recordings");
  make_plain(document);
  std::vector<Caution> cautions;
  auto blocks = join_blocks(document, nullptr, in_lines);
  // {"rate": 1000, "frames": [{"t": 0, "a": [...]}, ...]}.
  if (document.is_object())
    for (auto& [key, value] : document.items())
      if (!blocks && !in_lines && value.is_array()) blocks = join_blocks(value, document, false);
  if (blocks) cautions = std::move(*blocks);
  return open_document(head, settings, "JSON", document, {}, std::move(cautions));
}

std::unique_ptr<SampleSource> open_document(const FileHead& head, const ReadSettings& settings,
                                            const std::string& format, const nlohmann::ordered_json& document,
                                            std::vector<std::string> left_out,
                                            std::vector<Caution> cautions) {
  Recording recording;
  recording.cautions = std::move(cautions);
  recording.file = head.path;
  recording.format = format;
  std::vector<JsonTable> tables = json_tables(document, settings.axis, recording.notes, left_out);
  if (tables.empty())
    throw Error(Status::input,
                head.path + ": the document holds no array of numbers; is this the right file?");
  for (const JsonTable& table : tables)
    recording.parts.push_back({clean_text(table.name.empty() ? "top" : table.name),
                               std::to_string(table.columns.size()) +
                                   (table.columns.size() == 1 ? " channel, " : " channels, ") +
                                   std::to_string(table.length()) + " samples"});
  for (std::size_t k = 1; k < recording.parts.size(); ++k)
    for (std::size_t i = 0; i < k; ++i)
      if (recording.parts[i].name == recording.parts[k].name) {
        recording.parts[k].name += " (part " + std::to_string(k + 1) + ")";
        break;
      }
  recording.part = choose_part(head.path, recording.parts, settings, 0);
  JsonTable chosen = std::move(tables[recording.part]);
  if (!settings.axis.empty() && settings.axis != "none" && chosen.axis.empty()) {
    std::vector<std::string> names;
    for (const Channel& c : chosen.channels) names.push_back(c.name);
    throw Error(Status::usage, "--axis: " + head.path + ": " + unknown_name("member", settings.axis, names));
  }
  if (recording.parts.size() == 1) recording.parts.clear(), recording.part = 0;
  if (!left_out.empty())
    recording.cautions.push_back({"sets-left-out", Severity::note, "",
                                  std::to_string(left_out.size()) +
                                      (left_out.size() == 1 ? " list" : " lists") +
                                      " without numbers left out: \"" + clean_text(left_out.front()) + "\"" +
                                      (left_out.size() > 1 ? ", ..." : ""),
                                  "write what is a channel as numbers"});
  return open_table(std::move(recording), std::move(chosen), settings);
}

}  // namespace vprism
