// batch.h: one command or case over many recordings.
#pragma once

#include <fmt/format.h>
#include <glob.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <mutex>

#include "base/machine/cores.h"
#include "base/text.h"
#include "commands/shared/document_tables.h"
#include "formats/files/output_folder.h"
#include "frame/command.h"
#include "frame/console.h"
#include "render/report.h"
#include "runner/case_file.h"
#include "runner/case_run.h"
#include "runner/kept_run.h"

namespace vprism {

namespace fs = std::filesystem;

/// What a pattern, a folder or a name stands for.
void expand(const std::string& named, std::vector<std::string>& files) {
  std::error_code code;
  std::vector<std::string> found;
  if (fs::is_directory(named, code)) {
    for (const auto& entry : fs::directory_iterator(named, code))
      if (entry.is_regular_file(code) && entry.path().filename().string().front() != '.')
        found.push_back(entry.path().string());
    if (found.empty()) throw Error(Status::input, named + ": no files in this folder");
  } else if (!fs::exists(named, code) && named.find_first_of("*?[") != std::string::npos) {
    glob_t list{};
    if (::glob(named.c_str(), 0, nullptr, &list) == 0)
      for (std::size_t i = 0; i < list.gl_pathc; ++i) found.emplace_back(list.gl_pathv[i]);
    ::globfree(&list);
    if (found.empty()) throw Error(Status::input, named + ": no file fits this pattern");
  } else {
    found.push_back(named);  // A file that is not there is told with the others.
  }
  std::sort(found.begin(), found.end());
  for (const std::string& file : found)
    if (std::find(files.begin(), files.end(), file) == files.end()) files.push_back(file);
}

struct BatchRow {
  std::string file, folder;
  KeptResult kept;
};

/// One line of the summary: a file and one of its channels.
struct BatchLine {
  const BatchRow* row = nullptr;
  std::string channel, unit;
  std::vector<Json> values;  ///< Of the chosen figures.
};

class BatchTask : public Task {
 public:
  std::vector<OptionGroup> options() override;

  std::vector<OptionGroup> options_for(const std::vector<std::string>& arguments) override;
  std::size_t threads() const override { return output_.threads; }

  Status run(const std::vector<std::string>& arguments, const Json& settings) override;

 private:
  static void check_command(const std::string& what);

  void read_list(std::vector<std::string>& files) const;

  std::vector<BatchRow> run_all(const std::string& what, bool is_case, const std::vector<std::string>& files);

  /// All files that a case is made from, this recording being its variable's.
  std::vector<std::string> case_files(const std::string& path, const std::string& recording) const;

  /// Keys that are told of every channel, where none were asked for.
  static std::vector<std::string> usual_keys(const std::vector<BatchRow>& rows);

  std::vector<BatchLine> lines_of(const std::vector<BatchRow>& rows,
                                  const std::vector<std::string>& keys) const;

  /// With the file's name before it, once.
  static std::string said(const BatchRow& row) {
    return starts_with(row.kept.said, row.file) ? row.kept.said : row.file + ": " + row.kept.said;
  }

  static std::string status_of(const BatchRow& row);

  /// Whether a key tells a level in the channel's unit.
  static bool level_key(const std::string& key);

  static std::string cell(const Json& value);

  static TextTable table_of(const std::vector<BatchLine>& lines, const std::vector<std::string>& keys);

  static std::string csv_of(const std::vector<BatchLine>& lines, const std::vector<std::string>& keys);

  /// The figures over the files, a panel each, a line for each channel.
  static Figure trend_of(const std::string& what, const std::vector<BatchRow>& rows,
                         const std::vector<BatchLine>& lines, const std::vector<std::string>& keys);

  Status tell(const std::string& what, const std::vector<BatchRow>& rows, const Json& settings);

  std::string list_, variable_ = "file";
  std::vector<std::string> keys_, given_, files_named_;
  bool fresh_ = false;
  std::unique_ptr<Task> inner_;
  OutputSettings output_;
};

}  // namespace vprism
