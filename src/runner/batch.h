// batch.h: one command or case over many recordings.
#pragma once

#include <mutex>

#include "commands/shared/document_tables.h"
#include "frame/command.h"
#include "frame/console.h"
#include "runner/kept_run.h"

namespace vprism {

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

  Status report(const std::string& what, const std::vector<BatchRow>& rows, const Json& settings);

  std::string list_, variable_ = "file";
  std::vector<std::string> keys_, given_, files_named_;
  bool fresh_ = false;
  std::unique_ptr<Task> inner_;
  OutputSettings output_;
};

}  // namespace vprism
