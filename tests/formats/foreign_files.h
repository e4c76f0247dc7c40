// foreign_files.h: EDF and miniSEED files written by the libraries of those formats.
#pragma once

#include <string>
#include <vector>

namespace vprism {

/// One miniSEED record stream: samples of `id` ("XX.TERN.00.BHZ") from `start_ns` on, in records of 512
/// bytes, 32-bit integers, Steim-2 packed.
std::string miniseed_records(const std::string& station, const std::string& channel, double rate,
                             long long start_us, std::vector<int> samples);

/// A two-channel EDF+ file of whole seconds at `path`: channel k holds samples[k] at rates[k] a second, in uV
/// between -3276.8 and 3276.7.
void write_edf(const std::string& path, const std::vector<int>& rates,
               const std::vector<std::vector<double>>& samples, int seconds);

}  // namespace vprism
