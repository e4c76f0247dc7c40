// outputs.cpp: see outputs.h.
#include "frame/outputs.h"

#include <oneapi/tbb/parallel_for.h>

#include "base/error.h"
#include "base/machine/ranks.h"
#include "frame/terminal.h"

namespace vprism {

Outputs::Outputs(const OutputSettings& settings, const std::string& command)
    : OutputFolder(settings.folder, settings.force, command),
      kind_(settings.figure),
      as_text_(settings.figures_as_text) {}

void Outputs::fail(const std::string& why) {
  const std::lock_guard guard(lock_);
  ++failed_;
  if (why_.empty()) why_ = why;
}

void Outputs::queue(std::string name, std::vector<Figure> frames, const std::string& what) {
  place(name, what);
  waiting_figures_.push_back({std::move(name), std::move(frames)});
  // So many at most are held.
  if (waiting_figures_.size() >= 16) draw_waiting();
}

void Outputs::add_figure(const std::string& base, const Figure& figure, const std::string& what) {
  if (as_text_) text_ += "\n" + terminal_figure(figure);
  if (!kind_) return;
  const std::vector<Figure> pages = paged(figure);
  for (std::size_t p = 0; p < pages.size(); ++p)
    queue(base + (p == 0 ? "" : "-page" + std::to_string(p + 1)) + "." + picture_ending(*kind_), {pages[p]},
          what + (pages.size() > 1 ? ", page " + std::to_string(p + 1) : ""));
}

void Outputs::add_animation(const std::string& base, const std::vector<Figure>& frames,
                            const std::string& what) {
  if (kind_) queue(base + ".gif", frames, what);
}

std::string Outputs::picture(const Figure& figure, Picture kind) {
  try {
    return draw(paged(figure).front(), kind);
  } catch (const Error& error) {
    fail(error.what());
    return "";
  }
}

void Outputs::add_picture(const std::string& base, const std::string& bytes, Picture kind,
                          const std::string& what) {
  if (bytes.empty()) return;  // Counted when it failed.
  const std::string name = base + "." + picture_ending(kind);
  try {
    add(name, bytes, what);
  } catch (const Error& error) {
    withdraw(name);
    fail(error.what());
  }
}

void Outputs::draw_waiting() {
  std::vector<std::string> lost(waiting_figures_.size());
  oneapi::tbb::parallel_for(std::size_t{0}, waiting_figures_.size(), [&](std::size_t i) {
    const Waiting& w = waiting_figures_[i];
    try {
      write_whole_file(waiting_path(w.name), w.frames.size() == 1 && kind_ ? draw(w.frames.front(), *kind_)
                                                                           : draw_animation(w.frames, 6));
    } catch (const Error& error) {
      lost[i] = error.what();
    }
  });
  for (std::size_t i = 0; i < lost.size(); ++i) {
    if (lost[i].empty()) continue;
    withdraw(waiting_figures_[i].name);
    fail(lost[i]);
  }
  waiting_figures_.clear();
}

std::string Outputs::why_pictures_failed() const {
  if (failed_ == 0) return "";
  return (failed_ == 1 ? "a figure" : std::to_string(failed_) + " figures") + " could not be drawn: " + why_ +
         "; all else is written";
}

std::unique_ptr<Outputs> open_outputs(const OutputSettings& settings, const std::string& command,
                                      const std::vector<std::string>& inputs,
                                      const std::vector<std::string>& bases,
                                      const std::vector<std::string>& further) {
  if (!settings.writes_files() || Ranks::rank() > 0) return nullptr;
  auto outputs = std::make_unique<Outputs>(settings, command);
  for (const std::string& input : inputs) outputs->protect(input);
  std::vector<std::string> names = further;
  for (const std::string& base : bases) {
    if (&base == &bases.front()) names.push_back(base + ".json");
    names.push_back(base + ".csv");
    if (settings.figure) names.push_back(base + "." + picture_ending(*settings.figure));
  }
  outputs->expect(names);
  return outputs;
}

}  // namespace vprism
