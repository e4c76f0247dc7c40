// kept_run.cpp: see kept_run.h. A folder is made beside its place and renamed when all is in it; "run.json"
// in it holds the key and is written last.
#include "runner/kept/kept_run.h"

#include <algorithm>

#include "base/error.h"
#include "base/machine/cores.h"
#include "base/text.h"
#include "formats/companions.h"
#include "formats/containers.h"
#include "formats/files/file_digest.h"
#include "formats/files/output_folder.h"
#include "formats/files/unfinished.h"
#include "render/figure_json.h"
#include "render/figure_style.h"
#include "runner/kept/child.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

Json parsed(const std::string& text) { return Json::parse(text, nullptr, false); }

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

/// What was there before goes aside first. Another machine may put its own there meanwhile, which is as good.
void put_in_place(const fs::path& part, const fs::path& folder, const fs::path& aside) {
  std::error_code code;
  for (int tries = 0; tries < 5; ++tries) {
    fs::rename(folder, aside, code);
    fs::remove_all(aside, code);
    fs::rename(part, folder, code);
    if (!code) return;
  }
  throw Error(Status::output, folder.string() + ": can't be written: " + code.message());
}

}  // namespace

KeptFolder::KeptFolder(fs::path folder) : path_(std::move(folder)) {
  std::error_code code;
  fs::create_directories(path_, code);
  if (code)
    throw Error(Status::output, path_.parent_path().string() + ": can't be made a folder for the outputs: " +
                                    code.message() + "; choose another with --out");
  unfinished_ = unfinished_folder(path_);
}

KeptFolder::~KeptFolder() { remove_unfinished(unfinished_); }

std::string folder_name(const std::string& text, const std::vector<std::string>& taken) {
  const std::string name = clean_file_name(text).substr(0, 100);
  std::string distinct = name;
  for (int i = 2; std::find(taken.begin(), taken.end(), distinct) != taken.end(); ++i)
    distinct = name + "-" + std::to_string(i);
  return distinct;
}

std::size_t threads_each(std::size_t asked, std::size_t commands) {
  const std::size_t threads = asked > 0 ? asked : usable_cores();
  const std::size_t side_by_side = std::max<std::size_t>(1, std::min(threads, commands));
  return std::max<std::size_t>(1, (asked > 0 ? threads : 2 * threads) / side_by_side);
}

std::string run_key(const KeptRun& run, const KeptPlace& place, DigestBook& digests) {
  // A module of its own is part of the program.
  static const std::string program = [] {
    const std::string module = containers_module();
    return file_digest(own_program()) + (module.empty() ? "" : " " + file_digest(module));
  }();
  std::string all = std::string(version()) + "\n" + program + "\n" + run.command + "\n";
  for (const std::string& option : run.options) all += "option " + option + "\n";
  for (const std::string& input : run.inputs) {
    all += "input " + input + " " + digests.of(place.working / input) + "\n";
    for (const std::string& companion : companion_files((place.working / input).string()))
      all += "beside " + companion + " " + digests.of(companion) + "\n";
  }
  for (const std::string& file : run.files)
    all += "file " + file + " " + digests.of(place.working / file) + "\n";
  for (const std::string& key : run.keys) all += "after " + key + "\n";
  all += place.pictures ? picture_ending(place.picture) + std::string(figure_style_key()) : "none";
  return text_digest(all);
}

KeptResult run_kept(const KeptRun& run, const KeptPlace& place, DigestBook& digests) {
  KeptResult result;
  result.key = run_key(run, place, digests);
  const fs::path folder = place.all / run.name;
  if (!place.fresh && take_kept(folder, result)) return result;
  result = {result.key, false, 0, "", {}, {}, {}};
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
  if (place.threads > 0) child.arguments.push_back("--threads=" + std::to_string(place.threads));
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
    if (files.back().ends_with(".figure.json")) result.figures.push_back(files.back());
  }
  result.document["outputs"] = std::move(outputs);
  result.document["settings"]["out"] = nullptr;
  for (const std::string& name : result.figures) {
    if (!place.pictures) break;
    const std::string stem = name.substr(0, name.size() - std::string(".figure.json").size());
    const std::string picture = stem + "." + picture_ending(place.picture);
    try {
      write_whole_file(part / picture,
                       draw(figure_from_json(parsed(read_whole_file(part / name))), place.picture));
      files.push_back(picture);
    } catch (const Error& error) {
      result.pictures_missing.push_back(error.what());
    }
  }
  write_whole_file(child.out, result.document.dump(1, ' ', false, Json::error_handler_t::replace) + "\n");
  fs::remove(child.err, code);
  Json entry = {// Where a picture is missing the next run tries again.
                {"key", result.pictures_missing.empty() ? result.key : ""},
                {"status", result.status},
                {"figures", result.figures},
                {"files", files}};
  write_whole_file(part / "run.json", entry.dump(1) + "\n");
  put_in_place(part, folder, place.unfinished / ("old-" + run.name));
  return result;
}

}  // namespace vprism
