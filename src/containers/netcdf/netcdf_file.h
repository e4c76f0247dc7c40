// netcdf_file.h: a netCDF file in one of the classic formats, held open: names, attributes, shapes, numbers.
#pragma once

#include <netcdf.h>

#include <string>
#include <vector>

#include "formats/format.h"

namespace vprism {

class NetcdfFile {
 public:
  /// Throws Error(input) if its head can't be right: it is walked by the grammar before the library sees it,
  /// because the library believes every count.
  explicit NetcdfFile(const FileHead& head);
  ~NetcdfFile();
  NetcdfFile(const NetcdfFile&) = delete;
  NetcdfFile& operator=(const NetcdfFile&) = delete;

  struct Counts {
    int dimensions = 0, variables = 0, attributes = 0, unlimited = -1;
  };
  Counts counts() const;

  /// As it is written in the file, and fit to be printed.
  std::string name_of(int variable) const;
  std::string dimension_name(int dimension) const;
  std::size_t length_of(int dimension) const;
  std::vector<int> dimensions_of(int variable) const;
  nc_type type_of(int variable) const;
  /// Type of an attribute; NC_NAT without one.
  nc_type type_of(int variable, const char* attribute) const;
  std::vector<std::string> attributes_of(int variable) const;
  /// "" and no numbers where the attribute is missing or of the other kind. NC_GLOBAL: the file's.
  std::string text_of(int variable, const char* attribute) const;
  std::vector<double> numbers_of(int variable, const char* attribute) const;

  /// Numbers of the block that starts at `start`, of `size` along each dimension. Throws Error(input).
  void read(int variable, const std::vector<std::size_t>& start, const std::vector<std::size_t>& size,
            double* to) const;
  /// The text that a variable of characters holds from `start` on.
  std::string read_text(int variable, const std::vector<std::size_t>& start,
                        const std::vector<std::size_t>& size) const;

  [[noreturn]] void damaged(const std::string& what) const;

 private:
  std::string path_;
  int file_ = -1;
};

}  // namespace vprism
