// scratch_folder.h: a temporary folder of its own for each test.
#pragma once

#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>

namespace vprism {

class ScratchFolder {
 public:
  ScratchFolder() {
    std::string name = (std::filesystem::temp_directory_path() / "vprism-test-XXXXXX").string();
    path_ = ::mkdtemp(name.data());
  }
  ~ScratchFolder() {
    std::error_code code;
    std::filesystem::remove_all(path_, code);
  }
  ScratchFolder(const ScratchFolder&) = delete;
  ScratchFolder& operator=(const ScratchFolder&) = delete;

  std::string write(const std::string& name, const std::string& bytes) const {
    std::ofstream(path_ / name, std::ios::binary) << bytes;
    return (path_ / name).string();
  }
  std::string path(const std::string& name = "") const {
    return name.empty() ? path_.string() : (path_ / name).string();
  }
  static std::string read(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(in), {}};
  }

 private:
  std::filesystem::path path_;
};

/// Runs a Python program text with numpy and h5py in `folder`; true when it ended well.
inline bool run_python(const ScratchFolder& folder, const std::string& program) {
  const std::string script = folder.write("make.py", program);
  return std::system(("cd '" + folder.path() + "' && /usr/bin/python3 make.py").c_str()) == 0;
}

}  // namespace vprism
