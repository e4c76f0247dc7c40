// output_claims.cpp: see output_claims.h.
#include "formats/files/output_claims.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "formats/files/file_digest.h"
#include "formats/files/input_file.h"
#include "formats/files/output_folder.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

using nlohmann::json;

constexpr std::uintmax_t most_of_document = std::uintmax_t{64} << 20;

std::string text_at(const json& object, const char* key) {
  const auto found = object.find(key);
  return found != object.end() && found->is_string() ? found->get<std::string>() : std::string();
}

}  // namespace

std::string output_digest(const fs::path& path) {
  try {
    const InputFile file(path.string());
    constexpr std::uint64_t whole = std::uint64_t{64} << 20, block = 1 << 16;
    if (file.size() <= whole) return file_digest(path.string());
    std::string sampled = std::to_string(file.size());
    for (std::uint64_t i = 0; i <= 64; ++i) sampled += file.text((file.size() - block) / 64 * i, block);
    return "sampled-" + text_digest(sampled);
  } catch (const Error&) {
    return "";
  }
}

namespace {

constexpr const char* mark_name = "user.vprism.output";

/// "spectrum xxh3:..."; "" where there is none.
std::string mark_of(const fs::path& path) {
  char mark[256];
  const ssize_t size = ::getxattr(path.c_str(), mark_name, mark, sizeof mark);
  return size > 0 ? std::string(mark, static_cast<std::size_t>(size)) : std::string();
}

}  // namespace

void mark_output(const fs::path& path, const std::string& command) {
  const std::string mark = command + " " + output_digest(path);
  (void)::setxattr(path.c_str(), mark_name, mark.data(), mark.size(), 0);
}

bool OutputClaims::read(const fs::path& path, Document& out) {
  std::error_code code;
  if (path.extension() != ".json" || !fs::is_regular_file(path, code) ||
      fs::file_size(path, code) > most_of_document)
    return false;
  const json document = json::parse(read_whole_file(path), nullptr, false);
  if (!document.is_object() || text_at(document, "vprism").empty()) return false;
  out = {path.filename().string(), text_at(document, "command"), fs::last_write_time(path, code), {}};
  if (const auto list = document.find("outputs"); list != document.end() && list->is_array())
    for (const json& output : *list)
      if (output.is_object())
        out.outputs.push_back(
            {fs::path(text_at(output, "file")).filename().string(), text_at(output, "digest")});
  return true;
}

bool OutputClaims::unchanged(const ClaimedOutput& output, const Document& document) const {
  std::error_code code;
  const fs::path path = folder_ / output.name;
  if (!output.digest.empty()) return output_digest(path) == output.digest;
  // Documents are written last.
  return fs::last_write_time(path, code) <= document.time && !code;
}

std::string OutputClaims::why_foreign(const std::string& name, const std::string& command) {
  if (const std::string mark = mark_of(folder_ / name); !mark.empty()) {
    const std::string by = mark.substr(0, mark.find(' '));
    if (mark != by + " " + output_digest(folder_ / name)) return "was changed after " + by + " wrote it";
    return by == command ? "" : "is there already, a result of " + by;
  }
  if (!all_read_) {
    all_read_ = true;
    std::error_code code;
    for (auto at = fs::directory_iterator(folder_, code); !code && at != fs::directory_iterator();
         at.increment(code)) {
      Document document;
      if (read(at->path(), document)) documents_.push_back(std::move(document));
    }
  }
  std::string why = "is there already and is not an earlier result of " + command;
  for (const Document& document : documents_) {
    if (document.name == name) {
      if (document.command == command) return "";
      return "is there already, a result of " + document.command;
    }
    for (const ClaimedOutput& output : document.outputs) {
      if (output.name != name) continue;
      const bool same = unchanged(output, document);
      if (same && document.command == command) return "";
      why = same ? "is there already, a result of " + document.command
                 : "was changed after " + document.command + " wrote it";
    }
  }
  return why;
}

FolderLock::FolderLock(const fs::path& folder)
    : descriptor_(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)) {
  // A file system without locks does without.
  if (descriptor_ >= 0) (void)::flock(descriptor_, LOCK_EX);
}

FolderLock::~FolderLock() {
  if (descriptor_ >= 0) ::close(descriptor_);
}

}  // namespace vprism
