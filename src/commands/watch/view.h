// view.h: a stream on a terminal: its newest stretch, spectrum with limit lines and highest levels, looks
// against time, and keys.
#pragma once

#include <termios.h>

#include <optional>
#include <string>
#include <vector>

#include "commands/watch/files.h"
#include "render/figure.h"

namespace vprism {

/// What else is drawn of a stream.
struct WatchLook {
  const WatchState& state;
  std::string head;                                        ///< Lines above the panels.
  std::optional<Curve> trace = {};                         ///< The newest stretch of the channel shown.
  std::vector<std::pair<std::size_t, Curve>> limits = {};  ///< Of channels, RMS over frequency.
};

class LiveView {
 public:
  /// Takes the terminal's keys, if it is `wanted` and standard output is a terminal.
  explicit LiveView(bool wanted);
  ~LiveView();
  LiveView(const LiveView&) = delete;
  LiveView& operator=(const LiveView&) = delete;
  bool on() const { return on_; }
  /// Whether a new look is to be drawn now: not while frozen, and at most 20 times a second.
  bool wants_look();
  void show(const WatchLook& look);
  /// The one whose panels are shown.
  std::size_t channel(std::size_t of) const { return of == 0 ? 0 : channel_ % of; }
  /// What is shown is taken away, to print a line that stays.
  void erase();
  enum class Wish { none, save, end, redraw };
  /// What keys that were pressed ask for; others change the view.
  Wish keys();
  /// One key; as keys() does it.
  Wish press(char key);

  /// The panels, as a figure: for tests.
  Figure figure(const WatchLook& look);
  static std::string help();

 private:
  void hold(const WatchLook& look);
  std::string text(const WatchLook& look);

  bool on_ = false, frozen_ = false, holding_ = true;
  int keys_ = -1;
  bool keys_opened_ = false;
  termios before_{};
  std::size_t lines_ = 0, channel_ = 0;
  double zoom_ = 1, middle_ = 0.5;            ///< Share of the band that is shown, and where.
  double raise_ = 1;                          ///< Of the level axis's top.
  std::vector<std::vector<double>> highest_;  ///< Power of each bin, by channel.
  double drawn_ = 0;
};

}  // namespace vprism
