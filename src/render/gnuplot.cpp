// gnuplot.cpp: figures by gnuplot as a child process: script and binary data on its standard input, the
// picture on its standard output.
#include <sys/wait.h>
#include <unistd.h>

#include <utility>
// Boost.Asio 1.74 uses std::exchange without including <utility>.
#include <boost/asio.hpp>
#include <boost/process.hpp>
#include <boost/process/extend.hpp>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <future>
#include <mutex>

#include "base/error.h"
#include "base/text.h"
#include "render/figure_json.h"
#include "render/figure_script.h"

namespace vprism {

namespace {

namespace bp = boost::process;

/// What the plotter gets of our environment: nothing that changes what it draws, and a locale that is always
/// there.
bp::environment plotter_environment() {
  bp::environment all;
  for (const char* name : {"PATH", "HOME", "TMPDIR", "FONTCONFIG_FILE", "FONTCONFIG_PATH", "XDG_CACHE_HOME",
                           "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_DATA_DIRS"})
    if (const char* value = std::getenv(name); value != nullptr) all[name] = value;
  all["LC_ALL"] = "C.UTF-8";
  return all;
}

/// Its signals as if a shell had started it: ours ignore a pipe without a reader.
struct DefaultSignals : bp::extend::handler {
  template <typename Executor>
  void on_exec_setup(Executor&) const {
    ::signal(SIGPIPE, SIG_DFL);
    ::signal(SIGXFSZ, SIG_DFL);
  }
};

/// No figure takes that long; what hangs must not hang us.
constexpr std::chrono::seconds patience{300};

/// Whether the system gives another process: the library that starts the plotter waits for ever where it does
/// not.
bool process_to_be_had() {
  const pid_t child = ::vfork();
  if (child == 0) ::_exit(0);
  if (child < 0) return false;
  ::waitpid(child, nullptr, 0);
  return true;
}

std::string run_gnuplot(const std::string& script) {
  // Without a PATH a shell would look here too.
  const auto program = std::getenv("PATH") != nullptr ? bp::search_path("gnuplot")
                                                      : bp::search_path("gnuplot", {"/usr/bin", "/bin"});
  if (program.empty())
    throw Error(Status::output,
                "gnuplot is not there to draw the figure; install gnuplot-nox, or ask for --figure none");
  if (!process_to_be_had())
    throw Error(Status::output, "gnuplot could not be started: the system gives no more processes");
  try {
    boost::asio::io_context context;
    std::future<std::string> picture_bytes, complaints;
    // Figures are drawn side by side. A child inherits the pipes that are open when it starts; as pipes and
    // child are made under one lock, no two children can each hold open the pipe whose end the other waits
    // for.
    static std::mutex start_lock;
    std::unique_lock starting(start_lock);
    bp::async_pipe to_child(context);
    boost::asio::steady_timer timer(context, patience);
    bool late = false;
    bp::child child(
        program, "-d", bp::std_in<to_child, bp::std_out> picture_bytes, bp::std_err > complaints,
        plotter_environment(), DefaultSignals(), context,
        bp::on_exit = [&timer](int, const std::error_code&) { timer.cancel(); });
    starting.unlock();
    timer.async_wait([&](const boost::system::error_code& cancelled) {
      if (cancelled) return;
      late = true;
      child.terminate();
    });
    boost::asio::async_write(to_child, boost::asio::buffer(script),
                             [&](const boost::system::error_code&, std::size_t) { to_child.close(); });
    context.run();
    child.wait();
    std::string bytes = picture_bytes.get();
    const std::string said = complaints.get();
    if (late)
      throw Error(Status::output, "gnuplot did not draw the figure within " +
                                      std::to_string(patience.count()) + " s and was stopped");
    if (child.exit_code() != 0 || bytes.empty()) {
      std::string_view last = trimmed(said);
      if (const auto newline = last.find_last_of('\n'); newline != std::string_view::npos)
        last = last.substr(newline + 1);
      throw Error(Status::output, "gnuplot could not draw the figure" +
                                      (last.empty() ? std::string() : ": " + clean_text(last)));
    }
    if (said.find("failed to choose a font") != std::string::npos)
      throw Error(Status::output, "gnuplot found no font for the figure; install fonts-dejavu-core");
    return bytes;
  } catch (const bp::process_error& error) {
    throw Error(Status::output, std::string("gnuplot could not be started: ") + error.what());
  } catch (const boost::system::system_error& error) {
    throw Error(Status::output, std::string("gnuplot could not be started: ") + error.what());
  }
}

}  // namespace

namespace {

/// The same figure gives the same bytes: a time of the clock becomes one of the same length.
std::string without_clock(std::string pdf) {
  constexpr std::string_view key = "/CreationDate (D:", always = "19700101000000";
  for (std::size_t at = pdf.find(key); at != std::string::npos; at = pdf.find(key, at + 1))
    if (at + key.size() + always.size() <= pdf.size()) pdf.replace(at + key.size(), always.size(), always);
  return pdf;
}

}  // namespace

std::string draw(const Figure& figure, Picture picture) {
  if (picture == Picture::data)
    return figure_json(figure).dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
  const std::string bytes = run_gnuplot(figure_script(figure, picture));
  return picture == Picture::pdf ? without_clock(bytes) : bytes;
}

std::string draw_pages(const std::vector<Figure>& figures) {
  return without_clock(run_gnuplot(pages_script(figures)));
}

std::string draw_animation(const std::vector<Figure>& figures, int hundredths) {
  return run_gnuplot(animation_script(figures, hundredths));
}

}  // namespace vprism
