// convert.cpp: reads any format, calibrates, conditions, and writes an open format.
#include "base/error.h"
#include "base/text.h"
#include "commands/inspect/inspect.h"
#include "commands/shared/input.h"
#include "commands/shared/write_recording.h"
#include "frame/command.h"
#include "frame/console.h"
#include "frame/process.h"
#include "frame/to_stdout.h"

namespace vprism {

namespace {

struct ConvertSettings {
  InputSettings input;
  OutputSettings output;
  std::string to;
  WriteSettings write;
};

class ConvertTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {input_group(settings_.input),
            {"Convert",
             {format_option(settings_.to, "format to write (needed)"), numbers_option(settings_.write)}},
            output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    if (settings_.to.empty())
      throw Error(Status::usage, "--to is missing: name the format to write, one of " +
                                     format_option(settings_.to, "").value);
    const WriteFormat& format = find_write_format(settings_.to);
    Console console(settings_.output);
    Delivery delivery;
    delivery.command = "convert";
    delivery.settings = settings;
    const std::vector<std::string> stems = output_stems(input_files(files, settings_.input));
    auto inputs = open_inputs(files, settings_.input);
    const StdoutFolder out(settings_.output);
    Outputs folder(settings_.output, "convert");
    for (const std::string& file : files) folder.protect(file);
    for (const std::string& stem : stems) folder.expect(names_written(stem, format));
    std::size_t index = 0;
    std::vector<std::string> names;
    for (auto& input : inputs) {
      Road& road = input->road();
      road.keep_large();
      road.resolve();
      const Recording recording = road.recording();
      const WrittenRecording written = write_recording(road, folder, stems[index], format, settings_.write,
                                                       console.progress("convert " + recording.file));
      names.insert(names.end(), written.names.begin(), written.names.end());
      delivery.inputs.push_back(input->facts());
      const Recording& read = delivery.inputs.back().recording;
      delivery.cautions.insert(delivery.cautions.end(), read.cautions.begin(), read.cautions.end());
      delivery.cautions.insert(delivery.cautions.end(), written.cautions.begin(), written.cautions.end());
      delivery.results.push_back({{"file", recording.file},
                                  {"written", folder.path_of(written.names.front())},
                                  {"format", format.name}});
      delivery.text += recording_lines(read);
      for (const std::string& name : written.names) delivery.text += "  -> " + folder.path_of(name) + "\n";
      ++index;
    }
    for (const Caution& caution : delivery.cautions) console.caution(caution);
    const std::string shown =
        settings_.output.json ? delivery.document_text(folder.entries_with_digests()) : delivery.text;
    folder.commit();
    console.clear();
    if (out)
      out.send(names);
    else
      say(shown);
    return Status::done;
  }

 private:
  ConvertSettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_convert_task() { return std::make_unique<ConvertTask>(); }

}  // namespace vprism
