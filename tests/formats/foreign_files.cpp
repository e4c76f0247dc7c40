// foreign_files.cpp: see foreign_files.h.
#include "formats/foreign_files.h"

#include <edflib.h>
#include <libmseed.h>

#include <cstring>

namespace vprism {

std::string miniseed_records(const std::string& station, const std::string& channel, double rate,
                             long long start_us, std::vector<int> samples) {
  std::string out;
  MSRecord* record = msr_init(nullptr);
  std::strcpy(record->network, "XX");
  std::strncpy(record->station, station.c_str(), 5);
  std::strcpy(record->location, "00");
  std::strncpy(record->channel, channel.c_str(), 3);
  record->dataquality = 'D';
  record->starttime = start_us;
  record->samprate = rate;
  record->reclen = 512;
  record->encoding = DE_STEIM2;
  record->byteorder = 1;
  record->sampletype = 'i';
  record->datasamples = samples.data();
  record->numsamples = static_cast<int64_t>(samples.size());
  record->samplecnt = record->numsamples;
  int64_t packed = 0;
  msr_pack(
      record,
      [](char* bytes, int length, void* to) {
        static_cast<std::string*>(to)->append(bytes, static_cast<std::size_t>(length));
      },
      &out, &packed, 1, 0);
  record->datasamples = nullptr;
  msr_free(&record);
  return out;
}

void write_edf(const std::string& path, const std::vector<int>& rates,
               const std::vector<std::vector<double>>& samples, int seconds) {
  const int handle =
      edfopen_file_writeonly(path.c_str(), EDFLIB_FILETYPE_EDFPLUS, static_cast<int>(rates.size()));
  for (int s = 0; s < static_cast<int>(rates.size()); ++s) {
    edf_set_samplefrequency(handle, s, rates[static_cast<std::size_t>(s)]);
    edf_set_physical_maximum(handle, s, 3276.7);
    edf_set_physical_minimum(handle, s, -3276.8);
    edf_set_digital_maximum(handle, s, 32767);
    edf_set_digital_minimum(handle, s, -32768);
    edf_set_label(handle, s, s == 0 ? "first" : "second");
    edf_set_physical_dimension(handle, s, "uV");
  }
  edf_set_startdatetime(handle, 2026, 11, 3, 21, 14, 5);
  edfwrite_annotation_latin1(handle, 5000, -1, "shutter opens");
  for (int second = 0; second < seconds; ++second)
    for (std::size_t s = 0; s < rates.size(); ++s) {
      std::vector<double> part(samples[s].begin() + second * rates[s],
                               samples[s].begin() + (second + 1) * rates[s]);
      edfwrite_physical_samples(handle, part.data());
    }
  edfclose_file(handle);
}

}  // namespace vprism
