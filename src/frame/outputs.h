// outputs.h: the files of one command: checked before the work begins, figures last, none of them at the cost
// of the rest.
#pragma once

#include <memory>
#include <mutex>
#include <string>
#include <type_traits>
#include <vector>

#include "formats/files/output_folder.h"
#include "frame/option_groups.h"

namespace vprism {

/// The output folder with what a command wants of figures.
class Outputs : public OutputFolder {
 public:
  Outputs(const OutputSettings& settings, const std::string& command);

  /// A figure in the kind asked for, if any is: `base` and the kind's ending. It is drawn when the numbers
  /// are written; one that can't be drawn is left out and reported at the end.
  void add_figure(const std::string& base, const Figure& figure, const std::string& what);
  /// The same, made only where figures are wanted.
  template <typename Make>
  requires std::is_invocable_r_v<Figure, Make>
  void add_figure(const std::string& base, const Make& make, const std::string& what) {
    if (kind_ || as_text_) add_figure(base, static_cast<const Figure&>(make()), what);
  }
  /// The same for an animation.
  void add_animation(const std::string& base, const std::vector<Figure>& frames, const std::string& what);
  /// A picture for a page, drawn now, of a figure of many panels its first page; "" where it can't be.
  std::string picture(const Figure& figure, Picture kind);
  /// A picture that is drawn already; "": it could not be.
  void add_picture(const std::string& base, const std::string& bytes, Picture kind, const std::string& what);

  /// Figures as text, where they are wanted so: for standard output.
  const std::string& figures_text() const { return text_; }
  /// Draws what waits, side by side.
  void draw_waiting();
  bool pictures_failed() const { return failed_ > 0; }
  /// "2 figures could not be drawn: ..."; "" if all could.
  std::string why_pictures_failed() const;

 private:
  struct Waiting {
    std::string name;
    std::vector<Figure> frames;  ///< More than one where they move.
  };
  void queue(std::string name, std::vector<Figure> frames, const std::string& what);
  void fail(const std::string& why);

  std::optional<Picture> kind_;
  bool as_text_ = false;
  std::string text_;
  std::vector<Waiting> waiting_figures_;
  std::size_t failed_ = 0;
  std::string why_;
  std::mutex lock_;
};

/// The folder for a command's outputs, opened and checked before anything is computed; null where no files
/// are wanted. `bases` are what names begin with: a document of the first, a table and a figure of each are
/// expected; `further` names as well.
std::unique_ptr<Outputs> open_outputs(const OutputSettings& settings, const std::string& command,
                                      const std::vector<std::string>& inputs,
                                      const std::vector<std::string>& bases,
                                      const std::vector<std::string>& further = {});

}  // namespace vprism
