// npz.cpp: NPZ archives: a ZIP archive with one NPY file per array.
//
// Arrays of one dimension and one length are the channels of one part, one of two dimensions is a part of its
// own. An array called time or t, as long as the others, is their axis, and so is one that rises and is
// called frequency, freq or f; a single number called fs, rate, dt, ... gives the rate.
#include <unistd.h>
#include <zip.h>

#include <algorithm>
#include <cstdio>

#include "base/error.h"
#include "base/text.h"
#include "containers/hdf5/hdf5_meaning.h"
#include "containers/hdf5/hdf5_sets.h"
#include "containers/packages/entries.h"
#include "formats/arrays/npy.h"
#include "formats/documents/key_meaning.h"

namespace vprism {

namespace {

struct ZipCloser {
  void operator()(zip_t* archive) const { zip_discard(archive); }
  void operator()(zip_file_t* file) const { zip_fclose(file); }
};

struct Member {
  zip_uint64_t index = 0;
  std::string name, shape;
  NpyFacts facts;
  std::uint64_t bytes = 0, packed = 0;
  /// Along the longer dimension, which is taken as time.
  std::uint64_t rows() const {
    return facts.shape.empty() ? 1 : *std::max_element(facts.shape.begin(), facts.shape.end());
  }
};

/// Members that are read together.
struct NpzGroup {
  std::string name, what;
  std::vector<std::size_t> members;
  std::string stamps;
  std::uint64_t bytes = 0;
};

bool holds_frequencies(const Member& m) {
  return m.facts.rises && (is_frequency_key(m.name) || m.name == "f");
}

constexpr zip_int64_t most_arrays = 4096;

/// An array of texts.
struct TextMember {
  std::string name;
  std::vector<std::string> texts;
};

/// The archive's arrays of numbers; short ones of texts go to `texts`, names of what else is in it to
/// `others`.
std::vector<Member> members_of(zip_t* archive, const std::string& path, std::vector<TextMember>& texts,
                               std::vector<std::string>& others) {
  std::vector<Member> out;
  const zip_int64_t count = zip_get_num_entries(archive, 0);
  for (zip_int64_t i = 0; i < std::min(count, most_arrays); ++i) {
    zip_stat_t facts;
    if (zip_stat_index(archive, static_cast<zip_uint64_t>(i), 0, &facts) != 0) continue;
    const std::string name = facts.name == nullptr ? "" : facts.name;
    if (name.size() < 5 || name.substr(name.size() - 4) != ".npy") {
      if (!name.empty()) others.push_back(clean_text(name));
      continue;
    }
    const std::unique_ptr<zip_file_t, ZipCloser> member(zip_fopen_index(archive, facts.index, 0));
    std::string bytes(std::min<std::uint64_t>(facts.size, 64 * 1024), '\0');
    const zip_int64_t got = member ? zip_fread(member.get(), bytes.data(), bytes.size()) : -1;
    if (got < 10 || !starts_with(bytes, npy_magic)) continue;
    bytes.resize(static_cast<std::size_t>(got));
    try {
      out.push_back({facts.index, clean_text(name.substr(0, name.size() - 4)), npy_shape(path, bytes),
                     npy_facts(path, bytes), facts.size, facts.comp_size});
    } catch (const Error&) {
      const std::string array = clean_text(name.substr(0, name.size() - 4));
      try {
        texts.push_back({array, npy_texts(path, bytes)});
      } catch (const Error&) {
        texts.push_back({array, {}});  // Objects.
      }
      if (texts.back().texts.empty()) others.push_back(array), texts.pop_back();
    }
  }
  return out;
}

/// What is read together: see above. Single numbers only where there is nothing else.
std::vector<NpzGroup> groups_of(const std::vector<Member>& members, const std::string& axis) {
  std::vector<NpzGroup> out;
  const bool only_numbers =
      std::all_of(members.begin(), members.end(), [](const Member& m) { return m.facts.shape.empty(); });
  const auto timed = [&](const Member& m) {
    return m.facts.shape.size() == 1 && !m.facts.complex && !m.facts.table && axis != "none" &&
           (axis.empty()
                ? is_time_key(m.name) || holds_frequencies(m) || (is_abscissa_key(m.name) && m.facts.evenly)
                : m.name == axis);
  };
  for (std::size_t k = 0; k < members.size(); ++k) {
    const Member& m = members[k];
    if (m.facts.shape.empty() && !only_numbers) continue;
    const bool plain = m.facts.shape.size() == 1 && !m.facts.table;
    const auto same = std::find_if(out.begin(), out.end(), [&](const NpzGroup& g) {
      const Member& first = members[g.members.front()];
      return plain && first.facts.shape == m.facts.shape && !first.facts.table &&
             first.facts.complex == m.facts.complex;
    });
    if (same == out.end()) {
      out.push_back({m.name, m.shape, {k}, "", m.bytes});
      continue;
    }
    same->members.push_back(k);
    same->name += ", " + m.name, same->bytes += m.bytes;
    same->what = std::to_string(same->members.size()) + " arrays of " + m.shape;
  }
  for (NpzGroup& group : out) {
    for (const std::size_t k : group.members)
      if (group.members.size() > 1 && timed(members[k]) && group.stamps.empty())
        group.stamps = members[k].name;
    // Times beside an array of two dimensions, frequencies beside complex ones.
    const Member& first = members[group.members[0]];
    if (!group.stamps.empty() || (first.facts.shape.size() < 2 && !first.facts.complex)) continue;
    for (std::size_t k = 0; k < members.size(); ++k)
      if (timed(members[k]) && group.stamps.empty() &&
          std::count(first.facts.shape.begin(), first.facts.shape.end(), members[k].rows()) > 0)
        group.stamps = members[k].name, group.members.push_back(k), group.bytes += members[k].bytes;
  }
  // Times alone that serve another group are no signal.
  std::erase_if(out, [&](const NpzGroup& group) {
    return group.members.size() == 1 && std::any_of(out.begin(), out.end(), [&](const NpzGroup& other) {
             return &other != &group && other.stamps == members[group.members[0]].name;
           });
  });
  return out;
}

/// Appends the member to a file without a name, so that memory does not grow with the array.
void unpack(zip_t* archive, const Member& m, std::FILE* to, const std::string& path) {
  // Deflate shortens at most 1032 times; more is a claim, not data.
  if (m.bytes > 1040 * (m.packed + 64))
    throw Error(Status::input, path + ": damaged archive: an array of " + std::to_string(m.bytes) +
                                   " bytes can't be packed into " + std::to_string(m.packed));
  const std::unique_ptr<zip_file_t, ZipCloser> member(zip_fopen_index(archive, m.index, 0));
  std::vector<char> buffer(1 << 20);
  zip_int64_t got = 0;
  std::uint64_t all = 0;
  while (member && (got = zip_fread(member.get(), buffer.data(), buffer.size())) > 0) {
    all += static_cast<std::uint64_t>(got);
    if (std::fwrite(buffer.data(), 1, static_cast<std::size_t>(got), to) != static_cast<std::size_t>(got))
      throw Error(Status::input, path + ": no room to unpack it in the temporary folder");
  }
  if (got < 0 || all != m.bytes)
    throw Error(Status::input,
                path + ": damaged archive: \"" + m.name + "\" can't be unpacked; write it again");
}

/// Texts that name an array's columns: as many as these, called so or the only ones.
std::vector<std::string> titles_of(const Member& m, const std::vector<TextMember>& texts,
                                   std::size_t samples_along) {
  if (m.facts.shape.size() != 2) return {};
  const bool said = samples_along > 0 && samples_along <= m.facts.dimensions.size();
  const std::uint64_t columns =
      m.facts.shape[0] * m.facts.shape[1] / (said ? m.facts.dimensions[samples_along - 1] : m.rows());
  std::vector<const TextMember*> fitting;
  for (const TextMember& t : texts) {
    const std::string name = lower_case(t.name);
    if (t.texts.size() != columns || name.find("unit") != std::string::npos) continue;
    if (name == "channels" || name == "names" || name == "columns" || name == "labels" ||
        name == "channel_names")
      return t.texts;
    fitting.push_back(&t);
  }
  return fitting.size() == 1 ? fitting[0]->texts : std::vector<std::string>();
}

/// Units beside them become part of the titles.
void add_units(std::vector<std::string>& titles, const std::vector<TextMember>& texts) {
  for (const TextMember& t : texts)
    if (lower_case(t.name).find("unit") != std::string::npos && t.texts.size() == titles.size())
      for (std::size_t k = 0; k < titles.size(); ++k)
        if (!t.texts[k].empty()) titles[k] += " (" + t.texts[k] + ")";
}

void report_left_out(zip_t* archive, const std::vector<std::string>& others, Recording& recording) {
  if (const zip_int64_t count = zip_get_num_entries(archive, 0); count > most_arrays)
    recording.cautions.push_back({"sets-left-out", Severity::warning, "",
                                  "the archive holds " + std::to_string(count) +
                                      " arrays; those behind the first " + std::to_string(most_arrays) +
                                      " are left out",
                                  "write fewer into one archive"});
  if (others.empty()) return;
  recording.cautions.push_back({"sets-left-out", Severity::note, "",
                                std::to_string(others.size()) +
                                    (others.size() == 1 ? " member" : " members") +
                                    " of the archive without numbers left out: " + quoted_names(others, 4),
                                "write what is a channel as an array of numbers"});
}

}  // namespace

std::unique_ptr<SampleSource> open_npz_file(const FileHead& head, const ReadSettings& settings) {
  int code = 0;
  const std::unique_ptr<zip_t, ZipCloser> archive(zip_open(head.path.c_str(), ZIP_RDONLY, &code));
  if (!archive)
    throw Error(Status::input,
                head.path + ": damaged archive (ZIP error " + std::to_string(code) + "); write it again");
  Recording recording;
  recording.file = head.path;
  recording.format = "NPZ archive";
  std::vector<std::string> others;
  std::vector<TextMember> texts;
  const std::vector<Member> members = members_of(archive.get(), head.path, texts, others);
  for (const TextMember& t : texts)
    if (t.texts.size() == 1) recording.notes.emplace_back(t.name, t.texts[0]);
  std::vector<NpzGroup> groups = groups_of(members, settings.axis);
  // Any array may also be named by itself.
  for (std::size_t k = 0; k < members.size(); ++k)
    if (settings.part == members[k].name &&
        std::none_of(groups.begin(), groups.end(),
                     [&](const NpzGroup& g) { return g.name == settings.part; }))
      groups.push_back({members[k].name, members[k].shape, {k}, "", 0});
  if (groups.empty())
    throw Error(Status::input, head.path + ": the archive holds no array of numbers; write it again");
  std::size_t largest = 0;
  for (std::size_t g = 0; g < groups.size(); ++g) {
    recording.parts.push_back({groups[g].name, groups[g].what});
    if (groups[g].bytes > groups[largest].bytes) largest = g;
  }
  recording.part = choose_part(head.path, recording.parts, settings, largest);
  const NpzGroup& group = groups[recording.part];
  if (recording.parts.size() == 1) {
    recording.notes.emplace_back("array", recording.parts[0].name);
    recording.parts.clear(), recording.part = 0;
  }
  double interval = 0;
  std::string source;
  for (const Member& m : members) {
    if (!m.facts.number) continue;
    recording.notes.emplace_back(m.name, format_number(*m.facts.number, 12));
    double factor = 1;
    const Hdf5Meaning meaning = meaning_of_key(m.name, factor);
    const double value = *m.facts.number * factor;
    if (meaning == Hdf5Meaning::start) recording.axis.start = value;
    if (interval > 0 || !(value > 0)) continue;
    if (meaning == Hdf5Meaning::rate) interval = 1 / value;
    if (meaning == Hdf5Meaning::interval) interval = value;
    if (interval > 0) source = "array \"" + m.name + "\"";
  }
  std::FILE* unpacked = std::tmpfile();
  if (unpacked == nullptr)
    throw Error(Status::input, head.path + ": no room to unpack it in the temporary folder");
  InputFile file(::dup(::fileno(unpacked)), head.path);
  std::vector<NpyPlace> places;
  try {
    for (const std::size_t k : group.members) {
      places.push_back({members[k].name, static_cast<std::uint64_t>(std::ftell(unpacked)),
                        titles_of(members[k], texts, settings.samples_along)});
      add_units(places.back().titles, texts);
      unpack(archive.get(), members[k], unpacked, head.path);
    }
  } catch (...) {
    std::fclose(unpacked);
    throw;
  }
  // Texts that name nothing.
  for (const TextMember& t : texts)
    if (t.texts.size() > 1 && std::none_of(places.begin(), places.end(), [&](const NpyPlace& place) {
          return place.titles.size() == t.texts.size();
        }))
      others.push_back(t.name);
  report_left_out(archive.get(), others, recording);
  if (std::fclose(unpacked) != 0)
    throw Error(Status::input, head.path + ": no room to unpack it in the temporary folder");
  file.refresh();
  const NpyFacts& first = members[group.members[0]].facts;
  if (places.size() == 1 && places[0].titles.empty() && (first.table || first.shape.size() != 1))
    return open_npy_array(std::move(file), std::move(recording), settings, interval, source);
  const bool frequencies = std::any_of(members.begin(), members.end(), [&](const Member& m) {
    return m.name == group.stamps && holds_frequencies(m);
  });
  return open_npy_together(std::move(file), places, group.stamps, std::move(recording), settings, interval,
                           source, frequencies);
}

}  // namespace vprism
