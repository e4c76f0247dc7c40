// archive.cpp: files within ZIP archives, by libzip.
#include <zip.h>

#include "base/error.h"
#include "base/text.h"
#include "containers/packages/entries.h"
#include "formats/files/spool.h"

namespace vprism {

namespace {

struct ArchiveCloser {
  void operator()(zip_t* archive) const { zip_discard(archive); }
  void operator()(zip_file_t* file) const { zip_fclose(file); }
};

std::unique_ptr<zip_t, ArchiveCloser> opened(const std::string& path) {
  int code = 0;
  std::unique_ptr<zip_t, ArchiveCloser> archive(zip_open(path.c_str(), ZIP_RDONLY, &code));
  if (!archive)
    throw Error(Status::input,
                path + ": damaged archive (ZIP error " + std::to_string(code) + "); pack it again");
  return archive;
}

}  // namespace

std::vector<ArchiveMember> members_of_archive(const std::string& path) {
  const auto archive = opened(path);
  std::vector<ArchiveMember> out;
  const zip_int64_t count = zip_get_num_entries(archive.get(), 0);
  for (zip_int64_t i = 0; i < count; ++i) {
    zip_stat_t facts;
    if (zip_stat_index(archive.get(), static_cast<zip_uint64_t>(i), 0, &facts) != 0 || facts.name == nullptr)
      continue;
    out.push_back({facts.index, facts.name, facts.size});
  }
  return out;
}

void unpack_member_of_archive(const std::string& path, std::uint64_t place, TemporaryFile& to) {
  const auto archive = opened(path);
  zip_stat_t facts;
  zip_stat_init(&facts);
  zip_stat_index(archive.get(), place, 0, &facts);
  const std::string name = facts.name == nullptr ? "" : clean_text(facts.name);
  const auto fail = [&](const std::string& why) {
    throw Error(Status::input, path + ": \"" + name + "\" can't be unpacked: " + why);
  };
  const std::unique_ptr<zip_file_t, ArchiveCloser> file(zip_fopen_index(archive.get(), place, 0));
  if (!file)
    fail(facts.encryption_method != ZIP_EM_NONE ? "it is locked by a password; unpack it first"
                                                : "damaged archive; pack it again");
  std::vector<char> some(1 << 20);
  zip_int64_t got = 0;
  std::uint64_t all = 0;
  while ((got = zip_fread(file.get(), some.data(), some.size())) > 0) {
    all += static_cast<std::uint64_t>(got);
    to.write({some.data(), static_cast<std::size_t>(got)});
  }
  if (got < 0 || all != facts.size) fail("damaged archive; pack it again");
}

}  // namespace vprism
