// batch_work.cpp: see batch_work.h.
#include "runner/batch/batch_work.h"

#include <unordered_map>
#include <unordered_set>

#include "runner/case_file.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

/// All files that a case is made from, this recording being its variable's.
std::vector<std::string> case_files(const BatchWork& work, const std::string& recording) {
  std::vector<std::string> files = {recording};
  const CaseRead read = read_case({work.what, {{work.variable, fs::absolute(recording).string()}}, "."});
  for (const auto& [name, text] : read.value.texts) files.push_back(name);
  for (const CaseStep& step : read.value.steps)
    for (const auto* list : {&step.inputs, &step.files})
      for (const std::string& name : *list) files.push_back((read.value.folder / name).string());
  return files;
}

}  // namespace

std::filesystem::path kept_in(const std::string& outputs) { return fs::path(outputs) / "files"; }

void BatchWork::name_recordings() {
  names.clear();
  std::unordered_set<std::string> taken;
  std::unordered_map<std::string, std::size_t> last;
  for (const std::string& file : files) {
    const std::string name = folder_name(fs::path(file).filename().string());
    std::string distinct = name;
    for (std::size_t& i = last.try_emplace(name, 1).first->second; !taken.insert(distinct).second;)
      distinct = name + "-" + std::to_string(++i);
    names.push_back(distinct);
  }
}

KeptPlace BatchWork::place(const KeptFolder& folder, std::size_t threads) const {
  return {folder.path(),
          folder.unfinished(),
          ".",
          fresh,
          figure.value_or(Picture::png) == Picture::svg ? Picture::svg : Picture::png,
          figure.has_value() && !is_case,
          threads};
}

KeptResult BatchWork::run(std::size_t recording, const KeptPlace& place, DigestBook& digests) const {
  const std::string& file = files[recording];
  KeptRun run{names[recording], what, {file}, options, files_named, {}};
  if (is_case) {
    run.command = "case";
    run.inputs = {what};
    run.options = {"--set=" + variable + "=" + fs::absolute(file).string()};
    run.files = case_files(*this, file);
  }
  return run_kept(run, place, digests);
}

Json BatchWork::json() const {
  return {{"what", what},         {"case", is_case},
          {"files", files},       {"names", names},
          {"options", options},   {"files_named", files_named},
          {"variable", variable}, {"figure", figure ? Json(picture_ending(*figure)) : Json(nullptr)},
          {"fresh", fresh},       {"quick", quick}};
}

BatchWork BatchWork::from_json(const Json& json) {
  BatchWork work;
  json.at("what").get_to(work.what);
  json.at("case").get_to(work.is_case);
  json.at("files").get_to(work.files);
  json.at("names").get_to(work.names);
  json.at("options").get_to(work.options);
  json.at("files_named").get_to(work.files_named);
  json.at("variable").get_to(work.variable);
  json.at("fresh").get_to(work.fresh);
  json.at("quick").get_to(work.quick);
  for (const Picture picture : {Picture::png, Picture::svg, Picture::data})
    if (json.at("figure") == picture_ending(picture)) work.figure = picture;
  return work;
}

}  // namespace vprism
