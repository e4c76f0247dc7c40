// reading.h: a file opened and read to its end, for the tests of readers and writers.
#pragma once

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include "base/error.h"
#include "formats/format.h"
#include "formats/scratch_folder.h"

namespace vprism {

/// All of a recording.
struct WholeRecording {
  Recording recording;
  std::vector<std::vector<double>> columns;  ///< Real parts, then imaginary ones.
  std::vector<double> stamps;

  std::vector<std::string> codes() const {
    std::vector<std::string> out;
    for (const Caution& caution : recording.cautions) out.push_back(caution.code);
    return out;
  }
  bool warns_of(const std::string& code) const {
    const auto all = codes();
    return std::find(all.begin(), all.end(), code) != all.end();
  }
  std::vector<std::string> units() const {
    std::vector<std::string> out;
    for (const Channel& channel : recording.channels) out.push_back(channel.unit.text());
    return out;
  }
  std::vector<std::string> names() const {
    std::vector<std::string> out;
    for (const Channel& channel : recording.channels) out.push_back(channel.name);
    return out;
  }
};

/// Reads in blocks of 61 samples, an awkward number; twice, since a second pass must give the same.
inline WholeRecording read_source(SampleSource& source) {
  WholeRecording out;
  for (int pass = 0; pass < 2; ++pass) {
    const Recording opened = source.recording();
    Block block(opened.channels.size(), 61, source.carries_stamps(), opened.complex);
    std::vector<std::vector<double>> columns(block.columns());
    std::vector<double> stamps;
    while (source.read(block) > 0) {
      for (std::size_t c = 0; c < columns.size(); ++c)
        columns[c].insert(columns[c].end(), block.samples(c).begin(), block.samples(c).end());
      stamps.insert(stamps.end(), block.stamps().begin(), block.stamps().end());
    }
    if (pass == 0) {
      out.columns = std::move(columns);
      out.stamps = std::move(stamps);
      source.resolve();
      out.recording = source.recording();
      source.rewind();
    } else {
      const auto same = [](double a, double b) { return a == b || (std::isnan(a) && std::isnan(b)); };
      for (std::size_t c = 0; c < columns.size(); ++c)
        if (!std::equal(columns[c].begin(), columns[c].end(), out.columns[c].begin(), out.columns[c].end(),
                        same))
          throw std::runtime_error("the second pass differs");
    }
  }
  return out;
}

inline WholeRecording read_file(const std::string& path, const ReadSettings& settings = {}) {
  return read_source(*open_recording(path, settings));
}

/// The error that opening and reading gives; "" when there is none.
inline std::string error_of(const std::string& path, const ReadSettings& settings = {}) {
  try {
    read_file(path, settings);
    return "";
  } catch (const Error& error) {
    return error.what();
  }
}

}  // namespace vprism
