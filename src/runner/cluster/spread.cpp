// spread.cpp: see spread.h.
#include "runner/cluster/spread.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <map>
#include <numeric>
#include <queue>

#include "base/error.h"
#include "formats/files/output_folder.h"

namespace vprism {

namespace fs = std::filesystem;

std::vector<std::vector<std::size_t>> even_shares(const std::vector<std::uint64_t>& bytes, std::size_t most) {
  // Starting a command costs about as much as reading this.
  constexpr std::uint64_t each = 4'000'000;
  std::vector<std::size_t> order(bytes.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return bytes[a] > bytes[b]; });
  std::vector<std::vector<std::size_t>> shares(std::min(std::max<std::size_t>(1, most), bytes.size()));
  using Load = std::pair<std::uint64_t, std::size_t>;
  std::priority_queue<Load, std::vector<Load>, std::greater<>> loads;
  for (std::size_t i = 0; i < shares.size(); ++i) loads.emplace(0, i);
  for (const std::size_t file : order) {
    const auto [load, share] = loads.top();
    loads.pop();
    shares[share].push_back(file);
    loads.emplace(load + bytes[file] + each, share);
  }
  for (auto& share : shares) std::sort(share.begin(), share.end());
  return shares;
}

std::uint64_t bytes_of(const fs::path& path) {
  std::error_code code;
  if (!fs::is_directory(path, code)) {
    const std::uintmax_t size = fs::file_size(path, code);
    return code ? 0 : size;
  }
  std::uint64_t all = 0;
  for (auto at = fs::recursive_directory_iterator(path, code); at != fs::recursive_directory_iterator();
       at.increment(code))
    if (at->is_regular_file(code)) all += at->file_size(code);
  return all;
}

void SpreadFolder::write_plan(const Json& plan) const {
  std::error_code code;
  fs::create_directories(path_, code);
  const fs::path part = path_ / ("plan.part-" + std::to_string(::getpid()));
  write_whole_file(part, plan.dump(1, ' ', false, Json::error_handler_t::replace) + "\n");
  fs::rename(part, path_ / "plan.json", code);
  if (code)
    throw Error(Status::output, (path_ / "plan.json").string() + ": can't be written: " + code.message());
}

Json SpreadFolder::plan() const {
  const Json plan = Json::parse(read_whole_file(path_ / "plan.json"), nullptr, false);
  if (!plan.is_object() || plan.value("format", 0) != 1)
    throw Error(Status::input,
                path_.parent_path().string() +
                    ": no batch or case was sent to a cluster from here; name its folder with --out");
  return plan;
}

void SpreadFolder::note(std::size_t task, const Outcome& outcome) const {
  Json line = {{"file", outcome.file}, {"node", outcome.node}};
  if (outcome.ended) {
    line["reused"] = outcome.reused;
    line["status"] = outcome.status;
    line["said"] = outcome.said;
  }
  const std::string text = line.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
  const int file = ::open(notes(task).c_str(), O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0666);
  const bool whole =
      file >= 0 && ::write(file, text.data(), text.size()) == static_cast<::ssize_t>(text.size());
  const int why = errno;
  const bool closed = file >= 0 && ::close(file) == 0;
  if (!whole || !closed)
    throw Error(Status::output,
                notes(task).string() + ": can't be written: " + std::strerror(whole ? errno : why));
}

std::vector<Outcome> SpreadFolder::outcomes(std::size_t task) const {
  std::map<std::size_t, Outcome> last;
  std::ifstream in(notes(task));
  for (std::string text; std::getline(in, text);) {
    const Json line = Json::parse(text, nullptr, false);
    if (!line.is_object() || !line.contains("file") || !line["file"].is_number_unsigned()) continue;
    Outcome outcome;
    outcome.file = line["file"].get<std::size_t>();
    outcome.node = line.value("node", "");
    outcome.ended = line.contains("status");
    outcome.reused = line.value("reused", false);
    outcome.status = line.value("status", 0);
    outcome.said = line.value("said", "");
    last[outcome.file] = std::move(outcome);
  }
  std::vector<Outcome> out;
  for (auto& [file, outcome] : last) out.push_back(std::move(outcome));
  return out;
}

void SpreadFolder::clear() const {
  std::error_code code;
  std::vector<fs::path> old;
  for (const auto& entry : fs::directory_iterator(path_, code)) {
    const std::string name = entry.path().filename().string();
    if (name.starts_with("task-") || name == "table.txt" || name == "said.txt" || name == "status")
      old.push_back(entry.path());
  }
  for (const fs::path& path : old) fs::remove(path, code);
}

}  // namespace vprism
