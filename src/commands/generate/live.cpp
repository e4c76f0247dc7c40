// live.cpp: see commands/generate/live.h. What is due is sent every 20 ms.
#include "commands/generate/live.h"

#include <arpa/inet.h>
#include <fmt/format.h>
#include <netinet/in.h>
#include <signal.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <thread>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"

namespace vprism {

namespace {

class Descriptor {
 public:
  explicit Descriptor(int number) : number_(number) {}
  ~Descriptor() {
    if (number_ > 2) ::close(number_);
  }
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  int get() const { return number_; }

 private:
  int number_;
};

/// Waits for one to connect.
int accept_one(const std::string& port) {
  const auto fail = [&](const char* what) {
    return Error(Status::output,
                 "tcp:" + port + ": " + what + ": " + std::strerror(errno) + "; choose another port");
  };
  const Descriptor listening(::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0));
  if (listening.get() < 0) throw fail("no socket");
  const int on = 1;
  ::setsockopt(listening.get(), SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
  sockaddr_in here{};
  here.sin_family = AF_INET;
  here.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  here.sin_port = htons(static_cast<std::uint16_t>(parse_whole_number(port, 0)));
  if (::bind(listening.get(), reinterpret_cast<const sockaddr*>(&here), sizeof here) != 0 ||
      ::listen(listening.get(), 1) != 0)
    throw fail("can't listen there");
  socklen_t size = sizeof here;
  ::getsockname(listening.get(), reinterpret_cast<sockaddr*>(&here), &size);
  std::fprintf(stderr, "listening on tcp:127.0.0.1:%u\n", static_cast<unsigned>(ntohs(here.sin_port)));
  std::fflush(stderr);
  const int made = ::accept4(listening.get(), nullptr, nullptr, SOCK_CLOEXEC);
  if (made < 0) throw fail("no connection");
  return made;
}

bool send_all(int to, const std::string& bytes) {
  for (std::size_t at = 0; at < bytes.size();) {
    const ssize_t count = ::write(to, bytes.data() + at, bytes.size() - at);
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) return false;
    at += static_cast<std::size_t>(count);
  }
  return true;
}

template <typename Number>
void append(std::string& out, double value) {
  Number number{};
  if constexpr (std::is_integral_v<Number>) {
    const double least = std::numeric_limits<Number>::min(), most = std::numeric_limits<Number>::max();
    number = static_cast<Number>(std::isnan(value) ? 0 : std::clamp(std::round(value), least, most));
  } else {
    number = static_cast<Number>(value);
  }
  char raw[sizeof number];
  std::memcpy(raw, &number, sizeof number);
  out.append(raw, sizeof raw);
}

using Append = void (*)(std::string&, double);
Append append_of(const std::string& type) {
  if (type == "f64") return append<double>;
  if (type == "f32") return append<float>;
  if (type == "i16") return append<std::int16_t>;
  if (type == "i32") return append<std::int32_t>;
  throw Error(Status::usage,
              "--live: flat numbers are sent as f64, f32, i16 or i32, not \"" + clean_text(type) + "\"");
}

}  // namespace

void check_live(const std::string& where) {
  if (where == "stdout") return;
  if (starts_with(where, "tcp:") && parse_whole_number(where.substr(4), 0) < 65536) return;
  throw Error(Status::usage, "write stdout, or tcp:PORT such as tcp:5025");
}

void send_live(Road& road, const std::string& where, const std::string& binary) {
  const Append number = binary.empty() ? nullptr : append_of(binary);
  ::signal(SIGPIPE, SIG_IGN);
  const Descriptor to(where == "stdout" ? 1 : accept_one(where.substr(4)));
  const Recording& r = road.recording();
  const double rate = r.axis.rate_hz();
  const auto together = static_cast<std::size_t>(std::max(1.0, std::round(rate * 0.02)));
  bool there = true;
  if (!number) {
    std::string head = "time (s)";
    for (const Channel& c : r.channels)
      head += "," + csv_cell(c.unit.text() == "1" ? c.name : c.name + " (" + c.unit.text() + ")");
    there = send_all(to.get(), head + "\n");
  }
  const auto start = std::chrono::steady_clock::now();
  std::int64_t sent = 0;
  std::string bytes;
  const std::int64_t all = r.samples;
  struct Gone {};
  try {
    if (!there) throw Gone();
    road.run([&](Block& block) {
      for (std::size_t from = 0; from < block.size(); from += together) {
        const std::size_t end = std::min(block.size(), from + together);
        bytes.clear();
        for (std::size_t n = from; n < end; ++n, ++sent) {
          if (!number)
            bytes += fmt::format("{:.12g}", r.axis.start + static_cast<double>(sent) * r.axis.interval);
          for (std::size_t c = 0; c < r.channels.size(); ++c) {
            if (number)
              number(bytes, block.samples(c)[n]);
            else
              bytes += fmt::format(",{:.9g}", block.samples(c)[n]);
          }
          if (!number) bytes += '\n';
        }
        std::this_thread::sleep_until(start +
                                      std::chrono::duration_cast<std::chrono::steady_clock::duration>(
                                          std::chrono::duration<double>(static_cast<double>(sent) / rate)));
        if (!send_all(to.get(), bytes)) throw Gone();
      }
    });
  } catch (const Gone&) {
    std::fprintf(stderr, "the other side went away after %lld of %lld samples\n",
                 static_cast<long long>(sent), static_cast<long long>(all));
  }
}

}  // namespace vprism
