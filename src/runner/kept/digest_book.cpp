// digest_book.cpp: see digest_book.h.
#include "runner/kept/digest_book.h"

#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <exception>
#include <fstream>
#include <vector>

#include "formats/files/file_digest.h"
#include "formats/files/output_folder.h"
#include "render/document.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

/// Facts that distinguish a file without reading it: device, inode, size, times of its bytes and of its
/// place.
std::vector<std::int64_t> facts_of(const fs::path& path) {
  struct stat facts {};
  if (::stat(path.c_str(), &facts) != 0) return {};
  const auto ns = [](const timespec& t) {
    return static_cast<std::int64_t>(t.tv_sec) * 1'000'000'000 + t.tv_nsec;
  };
  return {static_cast<std::int64_t>(facts.st_dev), static_cast<std::int64_t>(facts.st_ino),
          static_cast<std::int64_t>(facts.st_size), ns(facts.st_mtim), ns(facts.st_ctim)};
}

}  // namespace

DigestBook::DigestBook(fs::path memory, bool quick)
    : memory_(quick ? fs::path() : std::move(memory)), quick_(quick) {
  if (memory_.empty()) return;
  const Json book = Json::parse(read_whole_file(memory_), nullptr, false);
  if (!book.is_object()) return;
  for (const auto& [path, entry] : book.items())
    if (entry.is_array() && entry.size() == 6 && entry[5].is_string() &&
        std::all_of(entry.begin(), entry.begin() + 5, [](const Json& x) { return x.is_number_integer(); }))
      known_[path] = {
          {entry[0].get<std::int64_t>(), entry[1].get<std::int64_t>(), entry[2].get<std::int64_t>(),
           entry[3].get<std::int64_t>(), entry[4].get<std::int64_t>()},
          entry[5].get<std::string>()};
}

std::string DigestBook::of_file(const fs::path& path) {
  std::error_code code;
  const std::string name = fs::absolute(path, code).lexically_normal().string();
  const Known now{facts_of(path), ""};
  if (now.facts.empty()) return "missing";
  // Whoever asks first makes it; others wait for that.
  std::promise<std::string> made;
  std::shared_future<std::string> wanted;
  {
    const std::lock_guard guard(lock_);
    const auto found = known_.find(name);
    if (found != known_.end() && found->second.facts == now.facts) return found->second.digest;
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
    digest = quick_ ? FileDigest(path.string()).quick_text() : file_digest(path.string());
  } catch (...) {
    failed = std::current_exception();
  }
  {
    const std::lock_guard guard(lock_);
    if (!failed) known_[name] = {now.facts, digest};
    being_made_.erase(name);
  }
  if (failed) {
    made.set_exception(failed);
    std::rethrow_exception(failed);
  }
  made.set_value(digest);
  return digest;
}

std::vector<fs::path> DigestBook::beside(const fs::path& path) {
  const fs::path parent = path.has_parent_path() ? path.parent_path() : fs::path(".");
  const std::lock_guard guard(lock_);
  auto& listed = folders_[parent.string()];
  std::vector<fs::path> out;
  const auto look = [&] {
    const auto [from, to] = listed.equal_range(path.stem().string());
    for (auto at = from; at != to; ++at) out.push_back(at->second);
    return std::any_of(out.begin(), out.end(),
                       [&](const fs::path& file) { return file.filename() == path.filename(); });
  };
  if (look()) return out;
  // Not listed yet, or new since.
  listed.clear(), out.clear();
  std::error_code code;
  for (const auto& entry : fs::directory_iterator(parent, code))
    if (entry.is_regular_file(code)) listed.emplace(entry.path().stem().string(), entry.path());
  look();
  return out;
}

std::string DigestBook::of(const fs::path& path) {
  std::error_code code;
  std::vector<fs::path> files;
  if (fs::is_directory(path, code)) {
    for (auto at = fs::recursive_directory_iterator(path, code); at != fs::recursive_directory_iterator();
         at.increment(code))
      if (at->is_regular_file(code)) files.push_back(at->path());
  } else {
    if (!fs::exists(path, code)) return "missing";
    files = beside(path);
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
  const std::int64_t now = std::chrono::duration_cast<std::chrono::nanoseconds>(
                               std::chrono::system_clock::now().time_since_epoch())
                               .count();
  for (const auto& [path, entry] : known_)
    if (now - std::max(entry.facts[3], entry.facts[4]) > 2'000'000'000)
      book[path] = {entry.facts[0], entry.facts[1], entry.facts[2],
                    entry.facts[3], entry.facts[4], entry.digest};
  const fs::path part = memory_.string() + ".part-" + std::to_string(::getpid());
  std::ofstream(part, std::ios::binary) << book.dump(-1, ' ', false, Json::error_handler_t::replace);
  std::error_code code;
  fs::rename(part, memory_, code);
}

}  // namespace vprism
