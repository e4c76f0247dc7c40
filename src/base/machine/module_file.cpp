// module_file.cpp: see module_file.h.
#include "base/machine/module_file.h"

#include <dlfcn.h>

#include <cstring>

namespace vprism {

namespace fs = std::filesystem;

std::vector<fs::path> module_folders() {
  std::error_code code;
  const fs::path home = fs::read_symlink("/proc/self/exe", code).parent_path();
  return {home, home.parent_path(), home.parent_path() / "lib" / "vprism"};
}

std::string module_file(const std::string& name) {
  std::error_code code;
  for (const fs::path& folder : module_folders())
    if (fs::exists(folder / name, code)) return (folder / name).string();
  return "";
}

const void* module_entry(const std::string& name, const char* entry, std::string& why) {
  std::error_code code;
  why = "not found beside the program in " + module_folders().front().string();
  for (const fs::path& folder : module_folders()) {
    if (!fs::exists(folder / name, code)) continue;
    void* const module = dlopen((folder / name).c_str(), RTLD_NOW | RTLD_LOCAL);
    const void* const found = module == nullptr ? nullptr : dlsym(module, entry);
    if (found == nullptr) {
      why = dlerror();
      continue;
    }
    const char* const version = *static_cast<const char* const*>(found);
    if (std::strcmp(version, VPRISM_VERSION) == 0) return found;
    why = (folder / name).string() + " is of version " + version;
  }
  return nullptr;
}

}  // namespace vprism
