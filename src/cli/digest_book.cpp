// digest_book.cpp: see digest_book.h.
#include "cli/digest_book.h"

#include <unistd.h>

#include <algorithm>
#include <exception>
#include <fstream>
#include <vector>

#include "formats/file_digest.h"
#include "formats/output_folder.h"
#include "render/document.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

std::int64_t changed_at(const fs::path& path) {
  std::error_code code;
  const auto time = fs::last_write_time(path, code);
  return code ? -1 : static_cast<std::int64_t>(time.time_since_epoch().count());
}

}  // namespace

DigestBook::DigestBook(fs::path memory) : memory_(std::move(memory)) {
  if (memory_.empty()) return;
  const Json book = Json::parse(read_whole_file(memory_), nullptr, false);
  if (!book.is_object()) return;
  for (const auto& [path, entry] : book.items())
    if (entry.is_array() && entry.size() == 3 && entry[0].is_number_unsigned() &&
        entry[1].is_number_integer() && entry[2].is_string())
      known_[path] = {entry[0].get<std::uintmax_t>(), entry[1].get<std::int64_t>(),
                      entry[2].get<std::string>()};
}

std::string DigestBook::of_file(const fs::path& path) {
  std::error_code code;
  const std::string name = fs::absolute(path, code).lexically_normal().string();
  const Known now{fs::file_size(path, code), changed_at(path), ""};
  if (code) return "missing";
  // Whoever asks first makes it; others wait for that.
  std::promise<std::string> made;
  std::shared_future<std::string> wanted;
  {
    const std::lock_guard guard(lock_);
    const auto found = known_.find(name);
    if (found != known_.end() && found->second.size == now.size && found->second.changed == now.changed)
      return found->second.digest;
    const auto begun = being_made_.find(name);
    if (begun != being_made_.end())
      wanted = begun->second;
    else
      being_made_.emplace(name, made.get_future().share());
  }
  if (wanted.valid()) return wanted.get();
  std::string digest;
  std::exception_ptr failed;
  try {
    digest = file_digest(path.string());
  } catch (...) {
    failed = std::current_exception();
  }
  {
    const std::lock_guard guard(lock_);
    if (!failed) known_[name] = {now.size, now.changed, digest};
    being_made_.erase(name);
  }
  if (failed) {
    made.set_exception(failed);
    std::rethrow_exception(failed);
  }
  made.set_value(digest);
  return digest;
}

std::string DigestBook::of(const fs::path& path) {
  std::error_code code;
  std::vector<fs::path> files;
  if (fs::is_directory(path, code)) {
    for (auto at = fs::recursive_directory_iterator(path, code); at != fs::recursive_directory_iterator();
         at.increment(code))
      if (at->is_regular_file(code)) files.push_back(at->path());
  } else {
    const fs::path parent = path.has_parent_path() ? path.parent_path() : fs::path(".");
    for (const auto& beside : fs::directory_iterator(parent, code))
      if (beside.path().stem() == path.stem() && beside.is_regular_file(code)) files.push_back(beside.path());
    if (!fs::exists(path, code)) return "missing";
  }
  std::sort(files.begin(), files.end());
  std::string all;
  for (const fs::path& file : files) all += file.filename().string() + "=" + of_file(file) + ";";
  return all;
}

void DigestBook::save() const {
  if (memory_.empty()) return;
  const std::lock_guard guard(lock_);
  Json book = Json::object();
  // A file changed in this very moment could change again without another time.
  const std::int64_t now =
      static_cast<std::int64_t>(fs::file_time_type::clock::now().time_since_epoch().count());
  for (const auto& [path, entry] : known_)
    if (now - entry.changed > 2'000'000'000) book[path] = {entry.size, entry.changed, entry.digest};
  const fs::path part = memory_.string() + ".part-" + std::to_string(::getpid());
  std::ofstream(part, std::ios::binary) << book.dump(-1, ' ', false, Json::error_handler_t::replace);
  std::error_code code;
  fs::rename(part, memory_, code);
}

}  // namespace vprism
