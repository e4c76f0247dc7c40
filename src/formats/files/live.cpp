// live.cpp: see live.h. Waiting is by poll with a short time, so that a stop is heard and silence noticed; a
// file at its end is looked at again every 50 ms.
#include "formats/files/live.h"

#include <fcntl.h>
#include <netdb.h>
#include <poll.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cmath>
#include <cstring>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "formats/arrays/flat_binary.h"

namespace vprism {

namespace {

constexpr std::size_t most_buffered = std::size_t{1} << 20;
constexpr std::size_t most_line = std::size_t{1} << 16;

}  // namespace

LiveSource::LiveSource(LiveSettings settings) : settings_(std::move(settings)) {
  recording_.file = settings_.input == "-" ? "standard input" : settings_.input;
  open();
  if (!settings_.read.binary.empty())
    describe_binary();
  else
    describe_text();
  const ReadSettings& r = settings_.read;
  if (r.duration_s) throw Error(Status::usage, "--duration: a stream has none; give --rate or --interval");
  if (r.rate_hz || r.interval_s) {
    recording_.axis.interval = r.rate_hz ? 1 / *r.rate_hz : *r.interval_s;
    recording_.axis.source = r.rate_hz ? "--rate" : "--interval";
  }
  if (!(recording_.axis.interval > 0))
    throw Error(Status::usage, recording_.file + ": no times in the stream; give --rate or --interval");
  described_ = true;
}

LiveSource::~LiveSource() {
  if (descriptor_ > 0) ::close(descriptor_);
}

void LiveSource::open() {
  const std::string& input = settings_.input;
  if (input == "-") {
    descriptor_ = 0;
    return;
  }
  if (starts_with(input, "tcp:")) {
    const auto colon = input.rfind(':');
    if (colon <= 4) throw Error(Status::usage, input + ": write tcp:HOST:PORT, such as tcp:localhost:5025");
    open_tcp(input.substr(4, colon - 4), input.substr(colon + 1));
    return;
  }
  descriptor_ = ::open(input.c_str(), O_RDONLY | O_CLOEXEC);
  if (descriptor_ < 0)
    throw Error(Status::input, input + ": can't be read: " + std::strerror(errno) + "; check the name");
  struct stat about {};
  file_ = ::fstat(descriptor_, &about) == 0 && S_ISREG(about.st_mode);
  if (about.st_mode != 0 && S_ISDIR(about.st_mode))
    throw Error(Status::input, input + ": is a folder; name a file");
}

void LiveSource::open_tcp(const std::string& host, const std::string& port) {
  addrinfo wanted{};
  wanted.ai_socktype = SOCK_STREAM;
  addrinfo* found = nullptr;
  if (const int code = ::getaddrinfo(host.c_str(), port.c_str(), &wanted, &found); code != 0)
    throw Error(Status::input, settings_.input + ": " + ::gai_strerror(code) + "; check host and port");
  int reason = 0;
  for (const addrinfo* a = found; a != nullptr && descriptor_ < 0; a = a->ai_next) {
    const int made = ::socket(a->ai_family, a->ai_socktype | SOCK_CLOEXEC, a->ai_protocol);
    if (made < 0) continue;
    if (::connect(made, a->ai_addr, a->ai_addrlen) == 0) {
      descriptor_ = made;
    } else {
      reason = errno;
      ::close(made);
    }
  }
  ::freeaddrinfo(found);
  if (descriptor_ < 0)
    throw Error(Status::input,
                settings_.input + ": no connection: " + std::strerror(reason) + "; is the device sending?");
}

LiveSource::Came LiveSource::fetch() {
  if (described_ && at_ > 0 && (at_ == buffer_.size() || at_ > most_buffered / 2)) {
    buffer_.erase(0, at_);
    at_ = 0;
  }
  if (buffer_.size() >= most_buffered) return Came::nothing;
  if (!file_) {
    pollfd waiting{descriptor_, POLLIN, 0};
    const int ready = ::poll(&waiting, 1, 50);
    if (ready == 0 || (ready < 0 && errno == EINTR)) return Came::nothing;
  }
  char room[65536];
  const ssize_t count = ::read(descriptor_, room, std::min(sizeof room, most_buffered - buffer_.size()));
  if (count < 0 && (errno == EINTR || errno == EAGAIN)) return Came::nothing;
  if (count < 0 && errno != ECONNRESET)
    throw Error(Status::input, recording_.file + ": can't be read: " + std::strerror(errno));
  if (count <= 0 && file_) {
    if (!still_there()) return Came::end;
    ::usleep(50'000);
    return Came::nothing;
  }
  if (count <= 0) return Came::end;
  buffer_.append(room, static_cast<std::size_t>(count));
  came_bytes_ += static_cast<std::uint64_t>(count);
  if (settings_.keep) std::fwrite(room, 1, static_cast<std::size_t>(count), settings_.keep);
  return Came::bytes;
}

bool LiveSource::still_there() {
  struct stat open {
  }, named{};
  if (::fstat(descriptor_, &open) == 0 && static_cast<std::uint64_t>(open.st_size) < came_bytes_)
    broken_ = "the file was cut from " + std::to_string(came_bytes_) + " to " + std::to_string(open.st_size) +
              " bytes while it was followed";
  else if (::stat(settings_.input.c_str(), &named) == 0 &&
           (named.st_ino != open.st_ino || named.st_dev != open.st_dev))
    broken_ = "the file was replaced by another one while it was followed";
  else if (open.st_nlink == 0)
    broken_ = "the file was removed while it was followed";
  return broken_.empty();
}

/// False at the end of the stream.
bool LiveSource::wait_for_bytes() {
  const auto start = std::chrono::steady_clock::now();
  bool listed = false;
  while (!ended_) {
    if (settings_.stop && settings_.stop()) {
      ended_ = true;
      break;
    }
    const Came came = fetch();
    const double silent = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    if (silent > settings_.late_s) longest_silence_s_ = std::max(longest_silence_s_, silent);
    if (came == Came::bytes) return true;
    if (came == Came::end || (settings_.idle_end_s > 0 && silent > settings_.idle_end_s)) {
      ended_ = true;
      break;
    }
    if (silent > settings_.late_s && !listed && !(file_ && settings_.idle_end_s > 0)) {
      listed = true;
      ++silences_;
      if (settings_.late) settings_.late(silent);
    }
  }
  return false;
}

void LiveSource::describe_binary() {
  const BinaryLayout layout = parse_binary_layout(settings_.read.binary);
  if (layout.sequential && layout.channels > 1)
    throw Error(Status::usage, "--binary: channels one after another can't be followed; only frames can");
  type_ = layout.type;
  for (std::uint64_t left = layout.skip; left > 0 && (!buffer_.empty() || wait_for_bytes());) {
    const std::uint64_t some = std::min<std::uint64_t>(left, buffer_.size());
    buffer_.erase(0, static_cast<std::size_t>(some));
    left -= some;
  }
  recording_.format = "stream of flat numbers, " + settings_.read.binary;
  for (std::size_t c = 0; c < layout.channels; ++c)
    recording_.channels.push_back({"channel " + std::to_string(c + 1), {}, ""});
}

/// The layout is that which the same text would have as a file; as many lines are waited for as tell it.
void LiveSource::describe_text() {
  recording_.format = "stream of text lines";
  // Of a slow stream a few have to do.
  constexpr std::ptrdiff_t enough_lines = 32, few_lines = 4;
  const auto start = std::chrono::steady_clock::now();
  for (;;) {
    const std::ptrdiff_t lines = std::count(buffer_.begin(), buffer_.end(), '\n');
    const bool slow = std::chrono::steady_clock::now() - start > std::chrono::seconds(2);
    if (lines >= (slow ? few_lines : enough_lines) || buffer_.size() >= FileHead::head_bytes ||
        !wait_for_bytes())
      break;
  }
  const std::size_t whole = buffer_.rfind('\n');
  if (whole == std::string::npos)
    throw Error(
        Status::input,
        recording_.file + (buffer_.size() < most_line
                               ? ": the stream ended before a line of numbers had come"
                               : ": no line end in 64 kB: this is no text; flat numbers need --binary"));
  ReadSettings read = settings_.read;
  read.complex = "off";  // Lines are taken as they come.
  read.missing = ReadSettings::Missing::gap;
  layout_.emplace(find_text_layout({recording_.file, buffer_.substr(0, whole + 1), whole + 1}, read));
  if (layout_->coding != TextCoding::utf8 || layout_->clock || layout_->axis.domain != Axis::Domain::time)
    throw Error(Status::usage,
                recording_.file +
                    ": of a stream the lines must be plain text, with seconds as their axis or none; give "
                    "--axis none and --rate");
  for (std::size_t c = 0; c < layout_->columns.size(); ++c)
    if (layout_->time != c) recording_.channels.push_back(layout_->columns[c]);
  if (recording_.channels.empty())
    throw Error(Status::input,
                recording_.file + ": a time column but no channel beside it; use --axis none and --rate");
  make_names_distinct(recording_.channels);
  recording_.notes = layout_->notes;
  at_ = layout_->data_offset;
  recording_.axis.interval = layout_->interval_s;
  recording_.axis.source = layout_->interval_source;
  if (layout_->time) {
    // The rows that have come already tell the interval; they are read again afterwards.
    TextPiece head;
    parse_text_piece({buffer_.data() + at_, whole + 1 - at_}, *layout_, true, head);
    const std::vector<double>& times = head.columns[*layout_->time];
    if (head.rows < 2)
      throw Error(Status::input, recording_.file + ": the stream ended before two rows of numbers had come");
    recording_.axis.start = times[0];
    recording_.axis.interval = (times[head.rows - 1] - times[0]) / static_cast<double>(head.rows - 1);
    recording_.axis.source = "time column";
    last_stamp_ = times[0] - recording_.axis.interval;
  }
}

std::size_t LiveSource::take_binary(Block& block) {
  const std::size_t frame = type_->size * recording_.channels.size();
  const std::size_t count = std::min((buffer_.size() - at_) / frame, block.capacity());
  bool gaps = false;
  for (std::size_t c = 0; c < recording_.channels.size() && count > 0; ++c) {
    type_->decode(buffer_.data() + at_ + c * type_->size, frame, count, block.room(c).data());
    gaps = mark_missing(block.room(c).data(), count) || gaps;
  }
  block.set_gaps(gaps);
  at_ += count * frame;
  return count;
}

/// The whole lines that have come, as numbers. False where there is none.
bool LiveSource::next_piece() {
  const std::size_t last = buffer_.rfind('\n');
  if (last == std::string::npos || last < at_) {
    if (buffer_.size() - at_ > most_line)
      throw Error(Status::input,
                  recording_.file + ": no line end in 64 kB: this is no text; flat numbers need --binary");
    return false;
  }
  const std::string_view text(buffer_.data() + at_, last + 1 - at_);
  parse_text_piece(text, *layout_, true, piece_);
  row_ = 0;
  if (piece_.bad_rows == 0) {
    at_ = last + 1;
    return true;
  }
  // Rows after a bad one are not kept: the next piece begins behind it.
  std::size_t end = at_;
  for (std::int64_t line = 0; line < piece_.bad.line; ++line) end = buffer_.find('\n', end) + 1;
  if (bad_lines_++ == 0) first_bad_ = clean_text(piece_.bad.text, 60);
  at_ = end;
  return true;
}

std::size_t LiveSource::take_text(Block& block) {
  std::size_t count = 0;
  bool gaps = false;
  const bool timed = layout_->time && recording_.axis.source == "time column";
  while (count < block.capacity()) {
    if (missing_rows_ == 0 && row_ == piece_.rows) {
      if (!next_piece()) break;
      continue;
    }
    if (timed && missing_rows_ == 0) {
      // Rows that are not there keep their places.
      const double stamp = piece_.columns[*layout_->time][row_];
      const double step = (stamp - last_stamp_) / recording_.axis.interval;
      if (step < -0.5 && taken_ + static_cast<std::int64_t>(count) > 0 && restarts_++ == 0)
        first_restart_ = stamp, restart_from_ = last_stamp_;
      last_stamp_ = stamp;
      if (step > 1.5 && taken_ + static_cast<std::int64_t>(count) > 0) {
        missing_rows_ = static_cast<std::int64_t>(std::min(1e9, std::round(step) - 1));
        lost_ += missing_rows_;
      }
    }
    const bool missing = missing_rows_ > 0;
    std::size_t channel = 0;
    for (std::size_t c = 0; c < layout_->columns.size(); ++c) {
      if (layout_->time == c) continue;
      const double value = missing ? std::nan("") : piece_.columns[c][row_];
      gaps = gaps || std::isnan(value);
      block.room(channel++)[count] = value;
    }
    if (missing)
      --missing_rows_;
    else
      ++row_;
    ++count;
  }
  block.set_gaps(gaps);
  return count;
}

std::size_t LiveSource::read(Block& block) {
  for (;;) {
    const std::size_t count = type_ ? take_binary(block) : take_text(block);
    if (count > 0) {
      block.set(taken_, count);
      taken_ += static_cast<std::int64_t>(count);
      return count;
    }
    if (ended_ || !wait_for_bytes()) {
      cut_bytes_ = buffer_.size() - at_;
      recording_.samples = taken_;
      block.set(taken_, 0);
      return 0;
    }
  }
}

std::vector<Caution> LiveSource::cautions() const {
  std::vector<Caution> out;
  if (cut_bytes_ > 0)
    out.push_back({"stream-cut", Severity::warning, "",
                   "the stream broke off within an instant: " + std::to_string(cut_bytes_) +
                       " bytes too few for one are left out",
                   "what came before is reported in full"});
  if (bad_lines_ > 0)
    out.push_back({"bad-lines", Severity::warning, "",
                   std::to_string(bad_lines_) +
                       " lines are no rows of numbers and are left out, the first with \"" + first_bad_ +
                       "\"",
                   "times behind them are too early unless the stream has a time column"});
  if (lost_ > 0)
    out.push_back({"stream-gap", Severity::warning, "",
                   std::to_string(lost_) + " instants are missing by the stream's own times",
                   "they are left as gaps"});
  if (restarts_ > 0)
    out.push_back({"stream-restarts", Severity::serious, "",
                   "the stream's times go back " + std::to_string(restarts_) +
                       (restarts_ == 1 ? " time" : " times") + ", first from " +
                       format_quantity(restart_from_, "s", 9) + " to " +
                       format_quantity(first_restart_, "s", 9),
                   "what came before and after is joined as if it followed on; look at the device's clock"});
  if (silences_ > 0)
    out.push_back({"stream-late", Severity::warning, "",
                   "nothing came for more than " + format_quantity(settings_.late_s, "s", 3) + ", " +
                       std::to_string(silences_) + " times, " + format_quantity(longest_silence_s_, "s", 3) +
                       " at the longest",
                   "look at the device or the line"});
  return out;
}

}  // namespace vprism
