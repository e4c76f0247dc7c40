// live.h: recordings that are still being made: a pipe, a file that grows, a device behind TCP.
//
// Flat numbers (`--binary TYPE:Nch`) or lines of text: one instant a line, cells parted by commas,
// semicolons, tabs or blanks; the first line may name the channels ("mirror cell (m/s^2)"); a first column of
// seconds called time or t is the axis. Memory: what has come and not been read yet, never more than a
// megabyte.
#pragma once

#include <atomic>
#include <cstdio>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "formats/arrays/number_type.h"
#include "formats/format.h"
#include "formats/text/rows/text_rows.h"

namespace vprism {

struct LiveSettings {
  std::string input;  ///< "-": standard input; "tcp:HOST:PORT"; else a file, which is followed as it grows.
  ReadSettings read;  ///< binary, rate or interval, axis, delimiter.
  double late_s = 5;  ///< Silence that is told.
  /// A file that has not grown for so long has ended; 0: never.
  double idle_end_s = 0;
  std::function<void(double silent_s)> late;  ///< Told once for each silence.
  std::function<bool()> stop;                 ///< Asked often; true ends the stream.
  std::FILE* keep = nullptr;                  ///< Gets every byte that comes.
};

class LiveSource : public SampleSource {
 public:
  /// Opens the stream and waits for as much of it as tells what it holds. Throws Error(input) when it can't
  /// be opened or ends before that, Error(usage) where rate or layout are missing or wrong.
  explicit LiveSource(LiveSettings settings);
  ~LiveSource() override;
  LiveSource(const LiveSource&) = delete;
  LiveSource& operator=(const LiveSource&) = delete;

  const Recording& recording() const override { return recording_; }
  /// Waits until something has come, then hands on all of that.
  std::size_t read(Block& block) override;
  /// A stream has one pass only.
  void rewind() override {}

  /// How it ended: a stream that breaks off within an instant, lines that could not be read, stamps that
  /// jump, silences.
  std::vector<Caution> cautions() const;
  /// Why the stream can't be followed any further, such as a file that was cut; "" where it simply ended.
  const std::string& broken() const { return broken_; }

 private:
  enum class Came { bytes, nothing, end };
  void open();
  void open_tcp(const std::string& host, const std::string& port);
  Came fetch();
  /// Whether the file that is followed is still that which was opened.
  bool still_there();
  bool wait_for_bytes();
  void describe_binary();
  void describe_text();
  std::size_t take_binary(Block& block);
  std::size_t take_text(Block& block);
  bool next_piece();

  LiveSettings settings_;
  Recording recording_;
  int descriptor_ = -1;
  bool file_ = false, ended_ = false, described_ = false;
  std::string buffer_;
  std::size_t at_ = 0;
  const NumberType* type_ = nullptr;  ///< Of flat numbers; else text:
  std::optional<TextLayout> layout_;
  TextPiece piece_;
  std::size_t row_ = 0;  ///< Of the piece, the next one.
  std::int64_t taken_ = 0, bad_lines_ = 0, lost_ = 0, silences_ = 0, missing_rows_ = 0;
  std::string first_bad_, broken_;
  std::uint64_t came_bytes_ = 0;
  std::int64_t restarts_ = 0;
  double first_restart_ = 0, restart_from_ = 0;
  double last_stamp_ = 0, longest_silence_s_ = 0;
  std::size_t cut_bytes_ = 0;
};

}  // namespace vprism
