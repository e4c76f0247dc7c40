// xml_recording.cpp: see xml_recording.h.
//
//     <channel name="a" unit="V"> 0.1 0.2 ... </channel>       {"name": "a", "unit": "V", "values": [...]}
//     <row t="0" a="1.5"/> <row t="0.01" a="1.4"/>             [{"t": 0, "a": 1.5}, ...]
//     <rate unit="kHz">2</rate>                                {"unit": "kHz", "value": 2}
#include "formats/documents/xml_recording.h"

#include <nlohmann/json.hpp>
#include <pugixml.hpp>

#include "base/error.h"
#include "base/text.h"
#include "formats/documents/document_values.h"
#include "formats/files/input_file.h"
#include "formats/json/json_recording.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;
constexpr std::uint64_t most_xml_bytes = std::uint64_t{64} << 20;
constexpr int deepest_element = 48;

std::string name_of(std::string_view name) {
  const std::size_t colon = name.rfind(':');
  return clean_text(std::string(name.substr(colon == std::string_view::npos ? 0 : colon + 1)));
}

Document document_of(const pugi::xml_node& node, int depth, const std::string& path) {
  if (depth > deepest_element) throw Error(Status::input, path + ": damaged XML: more than 48 levels");
  Document out = Document::object();
  for (const pugi::xml_attribute& attribute : node.attributes())
    if (const std::string name = name_of(attribute.name()); name != "xmlns" && name != "schemaLocation")
      out[name] = document_value(attribute.value());
  // Elements of one name are a list, wherever they stand.
  std::vector<std::pair<std::string, std::vector<Document>>> children;
  std::unordered_map<std::string, std::size_t> place;
  std::string text;
  for (const pugi::xml_node& child : node.children()) {
    if (child.type() == pugi::node_pcdata || child.type() == pugi::node_cdata) {
      text += child.value();
    } else if (child.type() == pugi::node_element) {
      const std::string name = name_of(child.name());
      const auto [at, fresh] = place.try_emplace(name, children.size());
      if (fresh) children.emplace_back(name, std::vector<Document>());
      children[at->second].second.push_back(document_of(child, depth + 1, path));
    }
  }
  for (auto& [name, values] : children) {
    const std::string key = out.contains(name) ? name + " (element)" : name;
    if (values.size() == 1)
      out[key] = std::move(values.front());
    else
      out[key] = Document(std::move(values));
  }
  if (trimmed(text).empty()) return out;
  Document numbers = document_numbers(text);
  if (out.empty()) return numbers.is_null() ? document_value(text) : numbers;
  if (!numbers.is_null())
    out["values"] = std::move(numbers);
  else
    out[out.contains("value") ? "text" : "value"] = document_value(text);
  return out;
}

}  // namespace

bool recognises_xml(const FileHead& head) {
  std::string_view top = std::string_view(head.bytes).substr(0, 4096);
  if (starts_with(top, "\xEF\xBB\xBF")) top.remove_prefix(3);
  top = trimmed(top);
  if (starts_with(top, "<?xml") || starts_with(top, "<!--")) return true;
  // An element with a name, and its end further on.
  if (top.size() < 4 || top[0] != '<' || std::isalpha(static_cast<unsigned char>(top[1])) == 0) return false;
  // Its end is the file's: tags above a table are no document.
  const std::string name(top.substr(1, top.find_first_of(" \t\r\n/>") - 1));
  std::string end = head.bytes;
  if (head.bytes.size() < head.size) {
    InputFile file(head.path);
    const std::uint64_t last = std::min<std::uint64_t>(head.size, 256);
    end = file.text(head.size - last, static_cast<std::size_t>(last));
  }
  return trimmed(end).ends_with("</" + name + ">");
}

std::unique_ptr<SampleSource> open_xml(const FileHead& head, const ReadSettings& settings) {
  if (head.size > most_xml_bytes)
    throw Error(Status::input, head.path + ": an XML file of more than 64 MB; export it as HDF5 or CSV");
  InputFile file(head.path);
  file.pass_on_to(settings.digest);
  const std::string text = file.text(0, static_cast<std::size_t>(file.size()));
  Document document;
  {
    pugi::xml_document parsed;
    const pugi::xml_parse_result result = parsed.load_buffer(text.data(), text.size());
    if (!result)
      throw Error(Status::input, head.path + ": damaged XML near byte " + std::to_string(result.offset + 1) +
                                     " (" + result.description() + "); write it again");
    document = document_of(parsed.document_element(), 0, head.path);
  }
  return open_document(head, settings, "XML", document);
}

}  // namespace vprism
