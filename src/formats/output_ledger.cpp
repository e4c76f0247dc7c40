// output_ledger.cpp: see output_ledger.h.
#include "formats/output_ledger.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "formats/file_digest.h"
#include "formats/input_file.h"
#include "formats/output_folder.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

using nlohmann::json;

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

OutputLedger::OutputLedger(fs::path folder) : folder_(std::move(folder)) {
  const json book = json::parse(read_whole_file(folder_ / file_name), nullptr, false);
  const auto outputs = book.is_object() ? book.find("outputs") : book.end();
  if (!book.is_object() || outputs == book.end() || !outputs->is_object()) return;
  for (const auto& [name, entry] : outputs->items())
    if (entry.is_object()) entries_[name] = {text_at(entry, "command"), text_at(entry, "digest")};
}

bool OutputLedger::document_claims(const std::string& name, const std::string& command) const {
  std::error_code code;
  for (auto at = fs::directory_iterator(folder_, code); !code && at != fs::directory_iterator();
       at.increment(code)) {
    std::error_code ignored;
    if (at->path().extension() != ".json" || !at->is_regular_file(ignored) ||
        fs::file_size(at->path(), ignored) > (std::uintmax_t{64} << 20))
      continue;
    const json document = json::parse(read_whole_file(at->path()), nullptr, false);
    if (!document.is_object() || text_at(document, "vprism").empty() ||
        text_at(document, "command") != command)
      continue;
    if (at->path().filename() == name) return true;
    const auto outputs = document.find("outputs");
    if (outputs == document.end() || !outputs->is_array()) continue;
    for (const json& output : *outputs)
      if (output.is_object() && fs::path(text_at(output, "file")).filename() == name &&
          fs::last_write_time(folder_ / name, ignored) <= fs::last_write_time(at->path(), ignored))
        return true;
  }
  return false;
}

std::string OutputLedger::why_foreign(const std::string& name, const std::string& command) const {
  const auto found = entries_.find(name);
  if (found == entries_.end())
    return document_claims(name, command) ? ""
                                          : "is there already and is not an earlier result of " + command;
  if (found->second.command != command) return "is there already, written by " + found->second.command;
  if (found->second.digest != output_digest(folder_ / name))
    return "was changed after " + command + " wrote it";
  return "";
}

void OutputLedger::note(const std::vector<std::string>& names, const std::string& command) {
  // Another run may have saved since.
  entries_ = OutputLedger(folder_).entries_;
  std::error_code code;
  std::erase_if(entries_, [&](const auto& entry) { return !fs::exists(folder_ / entry.first, code); });
  for (const std::string& name : names) entries_[name] = {command, output_digest(folder_ / name)};
  json outputs = json::object();
  for (const auto& [name, entry] : entries_)
    outputs[name] = {{"command", entry.command}, {"digest", entry.digest}};
  const json book = {{"what", "outputs that vprism wrote here and may replace"}, {"outputs", outputs}};
  const fs::path part = folder_ / fmt::format("{}.part-{}", file_name, ::getpid());
  try {
    write_whole_file(part, book.dump(1, ' ', false, json::error_handler_t::replace) + "\n");
  } catch (const Error&) {
    return;
  }
  fs::rename(part, folder_ / file_name, code);
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
