// unfinished.h: folders for what is being written, which are gone however the program ends.
#pragma once

#include <filesystem>
#include <string>

namespace vprism {

/// A new folder within `folder` for what this process has not finished; those that processes of this machine
/// which are gone left behind are removed, and those of other machines that nothing has changed in for seven
/// days. Whoever made it removes it by `remove_unfinished`. Throws Error(output).
std::filesystem::path unfinished_folder(const std::filesystem::path& folder);
/// Removes one of them.
void remove_unfinished(const std::filesystem::path& folder);
/// A message with the places that files were to have instead of those within such a folder.
std::string without_unfinished(std::string message);
/// Removes all that this process has made and not removed yet: for the end by an interrupt.
void remove_all_unfinished();

}  // namespace vprism
