// console.cpp: see console.h.
#include "frame/console.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cstdio>
#include <memory>

#include "base/error.h"
#include "base/text.h"
#include "formats/files/unfinished.h"
#include "frame/process.h"
#include "frame/terminal.h"

namespace vprism {

Console::Console(const OutputSettings& settings)
    : quiet_(settings.quiet),
      bars_(settings.progress == "on" ||
            (settings.progress == "auto" && !settings.quiet && ::isatty(2) != 0)),
      start_(std::chrono::steady_clock::now()),
      last_(start_) {}

Progress Console::progress(const std::string& label) {
  start_ = last_ = std::chrono::steady_clock::now();
  if (!bars_) return {};
  return [this, label](std::int64_t done, std::int64_t all) { show(label, done, all); };
}

void Console::show(const std::string& label, std::int64_t done, std::int64_t all) {
  using namespace std::chrono_literals;
  const auto now = std::chrono::steady_clock::now();
  if (now - start_ < 1s || (shown_ && now - last_ < 100ms)) return;
  last_ = now;
  shown_ = true;
  std::string line;
  if (all > 0) {
    const double share = static_cast<double>(done) / static_cast<double>(all);
    const auto filled = static_cast<std::size_t>(share * 30);
    line = fmt::format("{} [{}{}] {:3.0f}%", clean_text(label, 40), std::string(filled, '='),
                       std::string(30 - filled, ' '), 100 * share);
    const double past = std::chrono::duration<double>(now - start_).count(),
                 left = past * (1 - share) / share;
    if (share > 0.02 && past > 3)
      line += left < 90 ? fmt::format(" {:.0f} s left ", left) : fmt::format(" {:.0f} min left ", left / 60);
  } else {
    line = fmt::format("{} {} samples", clean_text(label, 40), done);
  }
  std::fprintf(stderr, "\r%s", line.c_str());
  std::fflush(stderr);
}

void Console::clear() {
  if (!shown_) return;
  std::fprintf(stderr, "\r%79s\r", "");
  shown_ = false;
}

std::string caution_line(const Caution& c) {
  std::string line = std::string(severity_name(c.severity)) + ": ";
  if (!c.channel.empty()) line += "channel \"" + c.channel + "\": ";
  line += c.text;
  if (!c.remedy.empty()) line += "; " + c.remedy;
  return clean_text(line, 2000) + " [" + c.code + "]";
}

void Console::caution(const Caution& c) {
  if (quiet_) return;
  clear();
  std::fprintf(stderr, "%s\n", for_standard_error(caution_line(c)).c_str());
}

void Console::warn(const std::string& line) {
  clear();
  const std::string whole = "vprism: warning: " + clean_text(without_unfinished(line), 2000);
  std::fprintf(stderr, "%s\n", for_standard_error(whole).c_str());
}

namespace {

/// Numbers, document, figures, then the document with what became of them.
std::vector<OutputFolder::Entry> write_outputs(const Delivery& delivery, Outputs& outputs,
                                               const std::function<void(Outputs&)>& add_files,
                                               const std::string& document_name) {
  for (const InputFacts& input : delivery.inputs)
    for (const std::string& file : input.files) outputs.protect(file);
  add_files(outputs);
  const std::string what = "result document";
  // Where a figure fills the disk, the document has its room already.
  outputs.add(document_name, delivery.document_text(outputs.entries()), what);
  outputs.draw_waiting();
  std::vector<OutputFolder::Entry> entries = outputs.entries_with_digests();
  std::erase_if(entries, [&](const auto& entry) { return entry.what == what; });
  entries.push_back({outputs.path_of(document_name), what, {}});
  outputs.renew(document_name, delivery.document_text(entries));
  return entries;
}

}  // namespace

Status deliver(Delivery& delivery, const OutputSettings& settings, Console& console, Outputs* outputs,
               const std::function<void(Outputs&)>& add_files, const std::string& document_name,
               Status status) {
  console.clear();
  if (settings.json || !delivery.text_has_cautions)
    for (const Caution& caution : delivery.cautions) console.caution(caution);
  if (!settings.json) say(for_standard_output(delivery.text));
  std::vector<OutputFolder::Entry> entries;
  if (outputs != nullptr) {
    try {
      entries = write_outputs(delivery, *outputs, add_files, document_name);
      // Standard output may be slow or gone; files do not wait for it.
      outputs->commit();
    } catch (const Error&) {
      if (settings.json) say(delivery.document_text({}));
      throw;
    }
  }
  if (settings.json) {
    say(delivery.document_text(entries));
  } else if (outputs != nullptr) {
    say(outputs->figures_text());
    std::string list;
    for (const auto& entry : entries) list += "  " + entry.file + "  " + entry.what + "\n";
    say(for_standard_output("\nWritten:\n" + list));
  }
  if (outputs == nullptr || !outputs->pictures_failed()) return status;
  console.warn(outputs->why_pictures_failed() + " [figure-missing]");
  return Status::output;
}

}  // namespace vprism
