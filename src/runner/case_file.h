// case_file.h: a case: recordings, suspects, steps and limits in one TOML file (docs/formats.md).
#pragma once

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "render/figure.h"

namespace vprism {

struct CaseRecording {
  std::string name, title;
  std::string file;  ///< As written, relative to the case's folder; may stand on a step's output.
  std::vector<std::pair<std::string, std::string>> options;  ///< Input options: name, value.
};

/// One command with its options.
struct CaseStep {
  std::string name;  ///< Distinct, and a folder's name.
  std::string title, note, command;
  std::vector<std::string> recordings;  ///< Names of those it looks at.
  std::vector<std::string> inputs;      ///< Files, or descriptions of signals.
  std::vector<std::string> options;     ///< "--name=value".
  std::vector<std::string> files;       ///< Named by options.
  std::vector<std::string> after;       ///< Names of steps whose outputs it takes.
  std::string where;                    ///< "file:line:column", for errors.
};

struct Case {
  std::string path;
  std::filesystem::path folder;
  std::string title, question;
  std::vector<std::string> concern;  ///< Channels that matter most: patterns.
  std::vector<CaseRecording> recordings;
  std::string line_up;  ///< Suspects listed in the case itself, as a file of their own, "suspects.toml"
                        ///< beside the steps.
  std::vector<CaseStep> steps;  ///< In the order of the file; none waits for a later one.
  std::vector<std::pair<std::string, std::string>>
      texts;  ///< Name and text of the case and what it includes.
  struct Report {
    std::string intro;
    std::size_t findings = 12;  ///< So many are listed first.
    bool html = true, markdown = true, pdf = true;
    Picture picture = Picture::png;
    std::size_t points = 3000;  ///< Of a curve that can be zoomed.
  } report;
};

struct CaseSettings {
  std::string path;
  /// Values of variables, over those in the file.
  std::vector<std::pair<std::string, std::string>> variables;
  /// Folder that holds a folder for each step, for "{steps.NAME}".
  std::filesystem::path steps_folder;
};

/// The case, and everything that is wrong with it, each "file:line:column: what is wrong; what to do".
/// Throws Error(input) when a file can't be read, Error(usage) when it is no TOML.
struct CaseRead {
  Case value;
  std::vector<std::string> problems;
};
CaseRead read_case(const CaseSettings& settings);

/// Steps into an order in which none waits for a later one; what they wait for becomes the names of folders.
void order_steps(std::vector<CaseStep>& steps, std::vector<std::string>& problems);

/// Commands that can't be steps.
bool runs_others(const std::string& command);

/// Options that a case, or a batch, gives itself.
bool given_by_runner(const std::string& option);

/// A command line as a step: what `--as-step` prints.
std::string step_text(const std::string& command, const std::vector<std::string>& inputs,
                      const std::vector<std::pair<std::string, std::string>>& given);

}  // namespace vprism
