// batch.h: one command or case over many recordings.
#pragma once

#include "commands/shared/document_tables.h"
#include "frame/command.h"
#include "frame/console.h"
#include "runner/batch/batch_work.h"
#include "runner/cluster/follow.h"

namespace vprism {

/// What became of a recording. Its document stays in its folder.
struct BatchRow {
  std::string file, folder;
  int status = 0;    ///< Of the command.
  std::string said;  ///< Why it failed.
  bool reused = false;
  bool done() const { return status <= 1; }
  /// With the file's name before it, once.
  std::string failure() const { return starts_with(said, file) ? said : file + ": " + said; }
};

/// One line of the summary: a file and one of its channels.
struct BatchLine {
  std::size_t row = 0;
  std::string status, channel, unit;
  std::vector<Json> values;  ///< Of the chosen figures.
  std::optional<std::size_t> cautions;
};

class BatchTask : public Task {
 public:
  std::vector<OptionGroup> options() override;
  std::vector<OptionGroup> options_for(const std::vector<std::string>& arguments) override;
  std::size_t threads() const override { return output_.threads; }
  bool needs_inputs() const override { return !cluster_.resume && !gather_ && !share_; }

  Status run(const std::vector<std::string>& arguments, const Json& settings) override;

 private:
  static void check_command(const std::string& what);
  void read_list(std::vector<std::string>& files) const;
  BatchWork work_of(const std::vector<std::string>& arguments) const;

  /// On this machine.
  std::vector<BatchRow> run_all(const BatchWork& work);

  /// Hands the work to a cluster's scheduler and waits for the table.
  Status spread(const BatchWork& work, const Json& settings);
  /// What a task of an array does.
  Status run_share();
  /// What the job behind the array does: the table, or another try of what is missing.
  Status gather();
  /// The document of what is kept; null where there is none.
  Json document(const BatchRow& row) const;
  /// Keys that are shown of every channel, where none were asked for.
  std::vector<std::string> usual_keys(const std::vector<BatchRow>& rows) const;
  std::vector<BatchLine> lines_of(const std::vector<BatchRow>& rows,
                                  const std::vector<std::string>& keys) const;

  /// Whether a key holds a level in the channel's unit.
  static bool level_key(const std::string& key);
  static std::string cell(const Json& value);
  static TextTable table_of(const std::vector<BatchRow>& rows, const std::vector<BatchLine>& lines,
                            const std::vector<std::string>& keys);
  static std::string csv_of(const std::vector<BatchRow>& rows, const std::vector<BatchLine>& lines,
                            const std::vector<std::string>& keys);
  /// The figures over the files, a panel each, a line for each channel.
  static Figure trend_of(const std::string& what, const std::vector<BatchRow>& rows,
                         const std::vector<BatchLine>& lines, const std::vector<std::string>& keys);
  Status report(const BatchWork& work, const std::vector<BatchRow>& rows, const Json& settings);

  std::string list_, variable_ = "file", digest_;
  ClusterSettings cluster_;
  std::vector<std::string> keys_, given_, files_named_;
  static constexpr std::size_t usual_tasks = 200;
  std::size_t tasks_ = usual_tasks;
  std::optional<std::size_t> share_;
  bool fresh_ = false, gather_ = false;
  std::unique_ptr<Task> inner_;
  OutputSettings output_;
};

}  // namespace vprism
