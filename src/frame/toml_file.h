// toml_file.h: TOML files that users write, with errors that name the place.
#pragma once

#include <fmt/format.h>
#include <toml++/toml.h>

#include <string>

#include "base/error.h"

namespace vprism {

/// Throws Error(input) when the file can't be read, Error(usage) with line and column when it is no TOML.
inline toml::table read_toml_file(const std::string& path) {
  try {
    return toml::parse_file(path);
  } catch (const toml::parse_error& error) {
    const auto at = error.source().begin;
    if (at.line == 0) throw Error(Status::input, path + ": can't be read; check the name");
    throw Error(Status::usage, fmt::format("{}:{}:{}: {}", path, at.line, at.column, error.description()));
  }
}

/// Something is wrong at a node of it.
[[noreturn]] inline void fail_at(const std::string& path, const toml::node& node, const std::string& what) {
  throw Error(Status::usage,
              fmt::format("{}:{}:{}: {}", path, node.source().begin.line, node.source().begin.column, what));
}

}  // namespace vprism
