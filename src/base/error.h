// error.h: the one exception of the program. It carries the exit status and one line for the user.
#pragma once

#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

namespace vprism {

/// Exit status of the program; every Error names one.
enum class Status : int {
  done = 0,
  check_failed = 1,  ///< The work is done, and a limit or a check failed.
  usage = 2,         ///< The command line or the case file is wrong.
  input = 3,         ///< An input can't be read.
  analysis = 4,      ///< The analysis can't be made from this data.
  output = 5,        ///< An output can't be written.
};

/// Thrown by everything in Vast Prism that can fail. `what()` is one line: what is wrong, where, what to do.
class Error : public std::runtime_error {
 public:
  Error(Status status, const std::string& line) : std::runtime_error(line), status_(status) {}
  Status status() const { return status_; }

 private:
  Status status_;
};

/// Number of single-letter edits (insert, delete, replace, swap of neighbours) that turn `a` into `b`.
std::size_t edit_distance(std::string_view a, std::string_view b);

/// The known name nearest to `wrong`, or "" when none is near enough to be worth offering.
std::string nearest_name(std::string_view wrong, const std::vector<std::string>& known);

/// `unknown window "hanning"; did you mean "hann"? Known: rectangular, hann, ...` (without the question if
/// nothing is near).
std::string unknown_name(std::string_view what, std::string_view wrong,
                         const std::vector<std::string>& known);

}  // namespace vprism
