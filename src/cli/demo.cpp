// demo.cpp: writes the demo case to a folder and surveys it.
#include <filesystem>

#include "base/error.h"
#include "cli/command.h"
#include "cli/survey.h"
#include "tern_point.h"

namespace vprism {

namespace {

class DemoTask : public Task {
 public:
  DemoTask() { settings_.output.folder = "tern-point"; }
  std::vector<OptionGroup> options() override { return {output_group(settings_.output)}; }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>&, const Json& shown) override {
    const std::filesystem::path folder = settings_.output.folder;
    std::vector<std::string> files;
    {
      OutputFolder data(folder.string(), settings_.output.force);
      for (const demo::DemoFile& file : demo::make_files()) {
        data.add(file.name, file.bytes, "demo data");
        if (demo::is_recording(file.name)) files.push_back((folder / file.name).string());
      }
      data.commit();
    }
    {
      OutputFolder copy(folder.string(), settings_.output.force);
      demo::write_daq_copy((folder / "mount-daq.wav").string(), copy.place("mount-daq.h5", "demo data"));
      demo::write_dome_tilt(copy.place("dome-tilt.h5", "demo data"));
      demo::write_cell_field(copy.place("cell-field.h5", "demo data"));
      copy.commit();
      files.push_back((folder / "dome-tilt.h5").string());
    }
    settings_.input.calibrations = demo::calibrations();
    settings_.output.folder = (folder / "report").string();
    settings_.output.folder_given = true;
    Json settings = shown;
    settings["calibrate"] = settings_.input.calibrations;
    const SurveyOutcome outcome = run_survey(files, settings_, settings);
    if (settings_.output.json) return Status::done;
    std::string text = "\nReport: " + outcome.report + "\nFound:\n";
    // The strongest finding of each of the first three channels.
    std::vector<std::string> told;
    for (const Finding& f : outcome.findings) {
      if (told.size() == 3) break;
      if (std::find(told.begin(), told.end(), f.channel) != told.end()) continue;
      told.push_back(f.channel);
      text += "  " + f.channel + ": " + f.text + "\n";
    }
    std::fputs(text.c_str(), stdout);
    return Status::done;
  }

 private:
  SurveySettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_demo_task() { return std::make_unique<DemoTask>(); }

}  // namespace vprism
