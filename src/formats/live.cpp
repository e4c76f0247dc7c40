// live.cpp: see live.h. Waiting is by poll with a short time, so that a stop is heard and silence noticed; a
// file at its end is looked at again every 50 ms.
#include "formats/live.h"

#include <fcntl.h>
#include <netdb.h>
#include <poll.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <chrono>
#include <cmath>
#include <cstring>
#include <limits>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

constexpr std::size_t most_buffered = std::size_t{1} << 20;
constexpr std::size_t most_line = std::size_t{1} << 16;

bool cell_number(std::string_view cell, double& value) {
  cell = trimmed(cell);
  if (!cell.empty() && cell.front() == '+') cell.remove_prefix(1);
  const auto [end, code] = std::from_chars(cell.data(), cell.data() + cell.size(), value);
  return code == std::errc() && end == cell.data() + cell.size();
}

std::vector<std::string> cells_of(std::string_view line, char delimiter) {
  std::vector<std::string> out;
  if (delimiter != ' ') {
    for (std::string& cell : split(line, delimiter)) out.emplace_back(trimmed(cell));
    return out;
  }
  std::string cell;
  for (const char c : std::string(line) + " ") {
    if (c != ' ' && c != '\t') {
      cell += c;
    } else if (!cell.empty()) {
      out.push_back(std::move(cell));
      cell.clear();
    }
  }
  return out;
}

char delimiter_of(std::string_view line) {
  for (const char c : {';', '\t', ','})
    if (line.find(c) != std::string_view::npos) return c;
  return ' ';
}

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
    ::usleep(50'000);
    return Came::nothing;
  }
  if (count <= 0) return Came::end;
  buffer_.append(room, static_cast<std::size_t>(count));
  if (settings_.keep) std::fwrite(room, 1, static_cast<std::size_t>(count), settings_.keep);
  return Came::bytes;
}

/// False at the end of the stream.
bool LiveSource::wait_for_bytes() {
  const auto start = std::chrono::steady_clock::now();
  bool told = false;
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
    if (silent > settings_.late_s && !told && !(file_ && settings_.idle_end_s > 0)) {
      told = true;
      ++silences_;
      if (settings_.late) settings_.late(silent);
    }
  }
  return false;
}

void LiveSource::describe_binary() {
  check_binary_layout(settings_.read.binary);
  const std::vector<std::string> parts = split(settings_.read.binary, ':');
  type_ = find_number_type(parts[0]);
  columns_ = 1;
  for (std::size_t i = 1; i < parts.size(); ++i) {
    if (parts[i] == "sequential")
      throw Error(Status::usage, "--binary: channels one after another can't be followed; only frames can");
    if (starts_with(parts[i], "skip=")) {
      std::size_t left = static_cast<std::size_t>(std::stoull(parts[i].substr(5)));
      while (left > 0 && (at_ < buffer_.size() || wait_for_bytes())) {
        const std::size_t some = std::min(left, buffer_.size() - at_);
        at_ += some, left -= some;
        buffer_.erase(0, at_), at_ = 0;
      }
    } else {
      columns_ = std::stoul(parts[i]);
    }
  }
  recording_.format = "stream of flat numbers, " + settings_.read.binary;
  for (std::size_t c = 0; c < columns_; ++c)
    recording_.channels.push_back({"channel " + std::to_string(c + 1), {}, ""});
}

/// The next whole line, or, at the end, what is left; empty where there is none. The line is used up.
std::string_view LiveSource::next_line() {
  const std::size_t end = buffer_.find('\n', at_);
  if (end == std::string::npos) {
    if (buffer_.size() - at_ > most_line)
      throw Error(Status::input,
                  recording_.file + ": no line end in 64 kB: this is no text; flat numbers need --binary");
    return {};
  }
  const std::string_view line(buffer_.data() + at_, end - at_);
  at_ = end + 1;
  return line.empty() || line == "\r" ? std::string_view("#") : line;
}

bool LiveSource::parse_line(std::string_view line, std::vector<double>& cells) const {
  cells.clear();
  for (const std::string& cell : cells_of(line, delimiter_)) {
    double value = 0;
    if (!cell_number(cell, value)) return false;
    cells.push_back(std::isfinite(value) ? value : std::nan(""));
  }
  return !cells.empty();
}

void LiveSource::describe_text() {
  recording_.format = "stream of text lines";
  std::vector<std::string> titles;
  std::vector<std::vector<double>> rows;
  // The second row of numbers gives the interval; they are read again afterwards.
  const auto give_up = [&] {
    throw Error(Status::input, recording_.file + ": the stream ended before two rows of numbers had come");
  };
  const bool want_two = !settings_.read.rate_hz && !settings_.read.interval_s;
  std::size_t first_row = std::string::npos;
  while (rows.size() < (want_two ? 2u : 1u)) {
    const std::size_t before = at_;
    const std::string line(next_line());
    if (line.empty()) {
      if (!wait_for_bytes()) give_up();
      continue;
    }
    if (line.front() == '#' || line.front() == '%') continue;
    delimiter_ = settings_.read.delimiter != 0 ? settings_.read.delimiter : delimiter_of(line);
    std::vector<double> cells;
    if (parse_line(trimmed(line), cells) && (rows.empty() || cells.size() == rows.front().size())) {
      if (rows.empty()) first_row = before;
      rows.push_back(cells);
    } else if (rows.empty()) {
      titles = cells_of(trimmed(line), delimiter_);
    }
  }
  columns_ = rows.front().size();
  if (titles.size() != columns_) titles.clear();
  Channel first = titles.empty() ? Channel{} : channel_from_title(titles.front());
  const std::string word = lower_case(first.name);
  const std::string& axis = settings_.read.axis;
  timed_ = axis != "none" && columns_ > 1 &&
           (axis == "1" ||
            (!titles.empty() && (axis == first.name || word == "time" || word == "t" || word == "zeit")));
  if (!axis.empty() && axis != "none" && !timed_)
    throw Error(Status::usage, "--axis: of a stream only the first column can hold the times");
  for (std::size_t c = timed_ ? 1 : 0; c < columns_; ++c)
    recording_.channels.push_back(titles.empty() ? Channel{"column " + std::to_string(c + 1), {}, ""}
                                                 : channel_from_title(titles[c]));
  make_names_distinct(recording_.channels);
  if (timed_) {
    stamp_factor_ =
        first.unit.known() && first.unit.converts_to(Unit::parse("s")) && !first.unit.dimensionless()
            ? first.unit.convert(1, Unit::parse("s"))
            : 1;
    recording_.axis.start = rows.front().front() * stamp_factor_;
    if (rows.size() > 1) recording_.axis.interval = (rows[1].front() - rows[0].front()) * stamp_factor_;
    recording_.axis.source = "time column";
    last_stamp_ = rows.front().front() - (rows.size() > 1 ? rows[1].front() - rows[0].front() : 0);
    if (rows.size() > 1 && !(recording_.axis.interval > 0))
      throw Error(
          Status::input,
          recording_.file + ": the times do not rise; give --axis none and --rate if they are no times");
  }
  at_ = first_row;
}

std::size_t LiveSource::take_binary(Block& block) {
  const std::size_t frame = type_->size * columns_;
  const std::size_t count = std::min((buffer_.size() - at_) / frame, block.capacity());
  bool gaps = false;
  for (std::size_t c = 0; c < columns_ && count > 0; ++c) {
    type_->decode(buffer_.data() + at_ + c * type_->size, frame, count, block.room(c).data());
    gaps = mark_missing(block.room(c).data(), count) || gaps;
  }
  block.set_gaps(gaps);
  at_ += count * frame;
  return count;
}

std::size_t LiveSource::take_text(Block& block) {
  std::size_t count = 0;
  bool gaps = false;
  std::vector<double> cells;
  const std::size_t skip = timed_ ? 1 : 0;
  while (count < block.capacity()) {
    if (missing_rows_ > 0) {
      --missing_rows_;
      gaps = true;
      for (std::size_t c = skip; c < columns_; ++c) block.room(c - skip)[count] = std::nan("");
      ++count;
      continue;
    }
    if (!pending_.empty()) {
      cells.swap(pending_);
      pending_.clear();
    } else {
      const std::string_view line = next_line();
      if (line.empty()) break;
      if (line.front() == '#' || line.front() == '%') continue;
      if (!parse_line(trimmed(line), cells) || cells.size() != columns_) {
        if (bad_lines_++ == 0) first_bad_ = clean_text(trimmed(line), 60);
        continue;
      }
      if (timed_ && recording_.axis.source == "time column") {
        // Rows that are not there keep their places.
        const double step = (cells.front() - last_stamp_) * stamp_factor_ / recording_.axis.interval;
        last_stamp_ = cells.front();
        if (step > 1.5 && taken_ + static_cast<std::int64_t>(count) > 0) {
          missing_rows_ = static_cast<std::int64_t>(std::min(1e9, std::round(step) - 1));
          lost_ += missing_rows_;
          pending_ = cells;
          continue;
        }
      }
    }
    for (std::size_t c = skip; c < columns_; ++c) {
      block.room(c - skip)[count] = cells[c];
      gaps = gaps || std::isnan(cells[c]);
    }
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
                   "what came before is told in full"});
  if (bad_lines_ > 0)
    out.push_back({"bad-lines", Severity::warning, "",
                   std::to_string(bad_lines_) + " lines are no rows of " + std::to_string(columns_) +
                       " numbers and are left out, the first \"" + first_bad_ + "\"",
                   "times behind them are too early unless the stream has a time column"});
  if (lost_ > 0)
    out.push_back({"stream-gap", Severity::warning, "",
                   std::to_string(lost_) + " instants are missing by the stream's own times",
                   "they are left as gaps"});
  if (silences_ > 0)
    out.push_back({"stream-late", Severity::warning, "",
                   "nothing came for more than " + format_quantity(settings_.late_s, "s", 3) + ", " +
                       std::to_string(silences_) + " times, " + format_quantity(longest_silence_s_, "s", 3) +
                       " at the longest",
                   "look at the device or the line"});
  return out;
}

}  // namespace vprism
