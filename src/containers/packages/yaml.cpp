// yaml.cpp: YAML 1.2 by its packaged library, as a document of objects, arrays, numbers and texts.
#include <yaml-cpp/yaml.h>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "containers/packages/entries.h"
#include "formats/documents/document_values.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;
constexpr int deepest = 48;

/// Aliases may say the same over and over: what comes of them is bounded.
struct Bound {
  std::size_t left;
  void take() {
    if (left-- == 0) throw Error(Status::input, "aliases that make it many times as long");
  }
};

Document scalar(const YAML::Node& node) {
  const std::string& text = node.Scalar();
  if (node.Tag() == "!") return text;  // In quotes.
  if (text == "true" || text == "false") return text == "true";
  return document_value(text);
}

Document document_of(const YAML::Node& node, int depth, Bound& bound) {
  if (depth > deepest) throw Error(Status::input, "more than 48 levels");
  bound.take();
  if (node.IsScalar()) return scalar(node);
  if (node.IsSequence()) {
    Document out = Document::array();
    for (const YAML::Node& item : node) out.push_back(document_of(item, depth + 1, bound));
    return out;
  }
  if (!node.IsMap()) return nullptr;
  Document out = Document::object();
  for (const auto& pair : node)
    if (pair.first.IsScalar()) out[pair.first.Scalar()] = document_of(pair.second, depth + 1, bound);
  return out;
}

}  // namespace

void document_of_yaml(const std::string& text, nlohmann::ordered_json& out) {
  std::vector<YAML::Node> documents;
  try {
    documents = YAML::LoadAll(text);
  } catch (const YAML::Exception& error) {
    throw Error(Status::input, "line " + std::to_string(error.mark.line + 1) + ": " + error.msg);
  }
  Bound bound{2 * text.size() + 1000};
  out = Document::array();
  for (const YAML::Node& node : documents)
    if (!node.IsNull()) out.push_back(document_of(node, 0, bound));
  if (out.size() == 1) out = Document(std::move(out[0]));
}

}  // namespace vprism
