// module_file.h: modules of the program that are loaded when they are needed.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace vprism {

/// The folders in which a module of the program may lie: beside it, above it, and where it is installed.
std::vector<std::filesystem::path> module_folders();
/// The module's path; "" where there is none.
std::string module_file(const std::string& name);
/// What a module of this program's version has under a name, a struct that begins with that version as text;
/// null where it can't be had, and `why`.
const void* module_entry(const std::string& name, const char* entry, std::string& why);

}  // namespace vprism
