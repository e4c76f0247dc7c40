// kept_run.cpp: see kept_run.h. A folder is made beside its place and renamed when all is in it; "run.json"
// in it holds the key and is written last.
#include "cli/kept_run.h"

#include <unistd.h>

#include <algorithm>
#include <fstream>

#include "base/error.h"
#include "base/text.h"
#include "cli/child.h"
#include "formats/file_digest.h"
#include "formats/output_folder.h"
#include "render/figure_json.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

void write_all(const fs::path& path, const std::string& bytes) {
  std::ofstream out(path, std::ios::binary);
  out << bytes;
  if (!out.flush()) throw Error(Status::output, path.string() + ": can't be written; is the disk full?");
}

Json parsed(const std::string& text) { return Json::parse(text, nullptr, false); }

bool ends_with(const std::string& text, std::string_view tail) {
  return text.size() >= tail.size() && std::string_view(text).substr(text.size() - tail.size()) == tail;
}

std::int64_t changed_at(const fs::path& path) {
  std::error_code code;
  const auto time = fs::last_write_time(path, code);
  return code ? -1 : static_cast<std::int64_t>(time.time_since_epoch().count());
}

/// The last line of what a command said, without the program's name before it.
std::string error_of(const std::string& said) {
  std::string line(trimmed(said));
  if (const auto at = line.find_last_of('\n'); at != std::string::npos) line.erase(0, at + 1);
  if (starts_with(line, "vprism: ")) line.erase(0, 8);
  return clean_text(line, 2000);
}

/// What is kept in a folder, where it is whole and has this key.
bool take_kept(const fs::path& folder, KeptResult& result) {
  const Json run = parsed(read_whole_file(folder / "run.json"));
  if (!run.is_object() || run.value("key", "") != result.key) return false;
  result.document = parsed(read_whole_file(folder / "document.json"));
  if (!result.document.is_object()) return false;
  for (const Json& figure : run["figures"]) result.figures.push_back(figure.get<std::string>());
  for (const Json& file : run["files"])
    if (!fs::exists(folder / file.get<std::string>())) return false;
  result.status = run.value("status", 0);
  result.reused = true;
  return true;
}

}  // namespace

std::string read_whole_file(const fs::path& path) {
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>()};
}

KeptFolder::KeptFolder(fs::path folder) : path_(std::move(folder)) {
  std::error_code code;
  fs::create_directories(path_, code);
  if (code)
    throw Error(Status::output, path_.parent_path().string() + ": can't be made a folder for the outputs: " +
                                    code.message() + "; choose another with --out");
  unfinished_ = unfinished_folder(path_);
}

KeptFolder::~KeptFolder() {
  std::error_code code;
  fs::remove_all(unfinished_, code);
}

bool written_by(const fs::path& document, const std::string& command) {
  const Json json = parsed(read_whole_file(document));
  return json.is_object() && json.value("command", "") == command;
}

DigestBook::DigestBook(fs::path memory) : memory_(std::move(memory)) {
  if (memory_.empty()) return;
  const Json book = parsed(read_whole_file(memory_));
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
  {
    const std::lock_guard guard(lock_);
    const auto found = known_.find(name);
    if (found != known_.end() && found->second.size == now.size && found->second.changed == now.changed)
      return found->second.digest;
  }
  const std::string digest = file_digest(path.string());
  const std::lock_guard guard(lock_);
  known_[name] = {now.size, now.changed, digest};
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

std::string folder_name(const std::string& text, const std::vector<std::string>& taken) {
  const std::string name = clean_file_name(text).substr(0, 100);
  std::string distinct = name;
  for (int i = 2; std::find(taken.begin(), taken.end(), distinct) != taken.end(); ++i)
    distinct = name + "-" + std::to_string(i);
  return distinct;
}

std::string run_key(const KeptRun& run, const KeptPlace& place, DigestBook& digests) {
  static const std::string program = file_digest(own_program());
  std::string all = std::string(version()) + "\n" + program + "\n" + run.command + "\n";
  for (const std::string& option : run.options) all += "option " + option + "\n";
  for (const std::string& input : run.inputs)
    all += "input " + input + " " + digests.of(place.working / input) + "\n";
  for (const std::string& file : run.files)
    all += "file " + file + " " + digests.of(place.working / file) + "\n";
  for (const std::string& key : run.keys) all += "after " + key + "\n";
  all += place.pictures ? picture_ending(place.picture) : "none";
  return text_digest(all);
}

KeptResult run_kept(const KeptRun& run, const KeptPlace& place, DigestBook& digests) {
  KeptResult result;
  result.key = run_key(run, place, digests);
  const fs::path folder = place.all / run.name;
  if (!place.fresh && take_kept(folder, result)) return result;
  result = {result.key, false, 0, "", {}, {}};
  const fs::path part = place.unfinished / run.name;
  std::error_code code;
  fs::remove_all(part, code);
  fs::create_directories(part, code);
  if (code)
    throw Error(Status::output, place.all.string() + ": can't be written to: " + code.message() +
                                    "; choose another with --out");
  ChildRun child;
  child.folder = fs::absolute(place.working);
  child.arguments = {run.command, "--json",        "--quiet",
                     "--force",   "--figure=data", "--out=" + fs::absolute(part).string()};
  child.arguments.insert(child.arguments.end(), run.options.begin(), run.options.end());
  child.arguments.insert(child.arguments.end(), run.inputs.begin(), run.inputs.end());
  child.out = part / "document.json", child.err = part / "said.txt";
  result.status = run_child(child);
  if (!result.done()) {
    result.said = error_of(read_whole_file(child.err));
    if (result.said.empty())
      result.said = result.status > 128
                        ? "the command was ended by signal " + std::to_string(result.status - 128)
                        : "the command failed with status " + std::to_string(result.status);
    if (result.status > 5) result.status = static_cast<int>(Status::analysis);
    fs::remove_all(part, code);
    return result;
  }
  result.document = parsed(read_whole_file(child.out));
  if (!result.document.is_object()) {
    result.status = static_cast<int>(Status::output);
    result.said = "the command's document could not be written; is the disk full?";
    fs::remove_all(part, code);
    return result;
  }
  // The document's own copy says where the files were while they were made.
  std::vector<std::string> files = {"document.json"};
  Json outputs = Json::array();
  for (Json& output : result.document["outputs"]) {
    const fs::path file = output["file"].get<std::string>();
    if (output["what"] == "result document") {
      fs::remove(part / file.filename(), code);
      continue;
    }
    output["file"] = file.filename().string();
    files.push_back(file.filename().string());
    outputs.push_back(output);
    if (ends_with(files.back(), ".figure.json")) result.figures.push_back(files.back());
  }
  result.document["outputs"] = std::move(outputs);
  result.document["settings"]["out"] = nullptr;
  for (const std::string& name : result.figures) {
    if (!place.pictures) break;
    const std::string stem = name.substr(0, name.size() - std::string(".figure.json").size());
    const std::string picture = stem + "." + picture_ending(place.picture);
    write_all(part / picture, draw(figure_from_json(parsed(read_whole_file(part / name))), place.picture));
    files.push_back(picture);
  }
  write_all(child.out, result.document.dump(1, ' ', false, Json::error_handler_t::replace) + "\n");
  fs::remove(child.err, code);
  Json entry = {
      {"key", result.key}, {"status", result.status}, {"figures", result.figures}, {"files", files}};
  write_all(part / "run.json", entry.dump(1) + "\n");
  fs::remove_all(folder, code);
  fs::rename(part, folder, code);
  if (code) throw Error(Status::output, folder.string() + ": can't be written: " + code.message());
  return result;
}

}  // namespace vprism
