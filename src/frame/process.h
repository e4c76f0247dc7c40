// process.h: what the program settles with the system it runs on, whatever that system's locale, pipes and
// limits.
#pragma once

#include <string>

#include "base/error.h"

namespace vprism {

/// To be called first: streams that are closed are opened onto nothing, a pipe without a reader and a limit
/// of file size become errors instead of signals, no locale of the system is asked for, and an interrupt
/// removes what is unfinished before it ends the program.
void settle_process();

/// What this process says is heard by no one from here on; returns the standard error that it had, closed in
/// what it starts.
int silence_process();

/// Prints a result. A reader that has gone (`| head -1`) is no error: the rest is dropped, so that files are
/// still put in place. Throws Error(output) where standard output can't be written for another reason.
void say(const std::string& text);

/// The program's exit status: 141, as of a program ended by that signal, where the reader has gone and the
/// status would be 0.
int exit_status(Status status);

}  // namespace vprism
