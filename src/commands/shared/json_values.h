// json_values.h: plain values out of a document, without exceptions for what is not there.
#pragma once

#include <cmath>
#include <string>

#include "render/document.h"

namespace vprism {

/// "" where there is no such text.
inline std::string text_at(const Json& json, const char* key) {
  const auto found = json.find(key);
  return found != json.end() && found->is_string() ? found->get<std::string>() : "";
}

/// NaN where there is no such number.
inline double number_at(const Json& json, const char* key) {
  const auto found = json.find(key);
  return found != json.end() && found->is_number() ? found->get<double>() : std::nan("");
}

/// A file's name without folder and ending.
inline std::string stem_of_file(const std::string& file) {
  Recording named;
  named.file = file;
  return named.stem();
}

}  // namespace vprism
