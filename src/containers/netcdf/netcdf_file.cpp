// netcdf_file.cpp: see netcdf_file.h.
#include "containers/netcdf/netcdf_file.h"

#include <algorithm>
#include <numeric>

#include "base/error.h"
#include "base/text.h"
#include "containers/netcdf/netcdf_head.h"
#include "formats/files/input_file.h"

namespace vprism {

namespace {

constexpr std::size_t longest_netcdf_text = 4096;

}  // namespace

NetcdfFile::NetcdfFile(const FileHead& head) : path_(head.path) {
  constexpr std::uint64_t longest_head = std::uint64_t{16} << 20;
  const InputFile file(head.path);
  const std::string fault = netcdf_head_fault(
      file.text(0, static_cast<std::size_t>(std::min<std::uint64_t>(head.size, longest_head))), head.size);
  if (!fault.empty()) damaged(fault);
  if (nc_open(head.path.c_str(), NC_NOWRITE, &file_) != NC_NOERR) damaged("its head can't be read");
}

NetcdfFile::~NetcdfFile() { nc_close(file_); }

NetcdfFile::Counts NetcdfFile::counts() const {
  Counts out;
  if (nc_inq(file_, &out.dimensions, &out.variables, &out.attributes, &out.unlimited) != NC_NOERR)
    damaged("its head can't be read");
  return out;
}

std::string NetcdfFile::name_of(int variable) const {
  char name[NC_MAX_NAME + 1] = {};
  return nc_inq_varname(file_, variable, name) == NC_NOERR ? clean_text(name) : "";
}

std::string NetcdfFile::dimension_name(int dimension) const {
  char name[NC_MAX_NAME + 1] = {};
  if (nc_inq_dimname(file_, dimension, name) != NC_NOERR) damaged("a dimension can't be read");
  return clean_text(name);
}

std::size_t NetcdfFile::length_of(int dimension) const {
  std::size_t length = 0;
  if (nc_inq_dimlen(file_, dimension, &length) != NC_NOERR) damaged("a dimension can't be read");
  return length;
}

std::vector<int> NetcdfFile::dimensions_of(int variable) const {
  int count = 0;
  if (nc_inq_varndims(file_, variable, &count) != NC_NOERR || count < 0 || count > NC_MAX_VAR_DIMS) return {};
  std::vector<int> out(static_cast<std::size_t>(count));
  if (count > 0 && nc_inq_vardimid(file_, variable, out.data()) != NC_NOERR) return {};
  return out;
}

nc_type NetcdfFile::type_of(int variable) const {
  nc_type type = NC_NAT;
  nc_inq_vartype(file_, variable, &type);
  return type;
}

nc_type NetcdfFile::type_of(int variable, const char* attribute) const {
  nc_type type = NC_NAT;
  return nc_inq_atttype(file_, variable, attribute, &type) == NC_NOERR ? type : NC_NAT;
}

std::vector<std::string> NetcdfFile::attributes_of(int variable) const {
  int count = 0;
  if (variable == NC_GLOBAL ? nc_inq_natts(file_, &count) != NC_NOERR
                            : nc_inq_varnatts(file_, variable, &count) != NC_NOERR)
    return {};
  std::vector<std::string> out;
  for (int a = 0; a < count; ++a) {
    char name[NC_MAX_NAME + 1] = {};
    if (nc_inq_attname(file_, variable, a, name) == NC_NOERR) out.emplace_back(name);
  }
  return out;
}

std::string NetcdfFile::text_of(int variable, const char* attribute) const {
  nc_type type = NC_NAT;
  std::size_t length = 0;
  if (nc_inq_att(file_, variable, attribute, &type, &length) != NC_NOERR || type != NC_CHAR ||
      length > longest_netcdf_text)
    return "";
  std::string out(length, '\0');
  if (length > 0 && nc_get_att_text(file_, variable, attribute, out.data()) != NC_NOERR) return "";
  while (!out.empty() && out.back() == '\0') out.pop_back();
  return out;
}

std::vector<double> NetcdfFile::numbers_of(int variable, const char* attribute) const {
  nc_type type = NC_NAT;
  std::size_t length = 0;
  if (nc_inq_att(file_, variable, attribute, &type, &length) != NC_NOERR || type == NC_CHAR || length == 0 ||
      length > 64)
    return {};
  std::vector<double> out(length);
  return nc_get_att_double(file_, variable, attribute, out.data()) == NC_NOERR ? out : std::vector<double>();
}

void NetcdfFile::read(int variable, const std::vector<std::size_t>& start,
                      const std::vector<std::size_t>& size, double* to) const {
  if (nc_get_vara_double(file_, variable, start.data(), size.data(), to) != NC_NOERR)
    damaged("variable \"" + name_of(variable) + "\" can't be read");
}

std::string NetcdfFile::read_text(int variable, const std::vector<std::size_t>& start,
                                  const std::vector<std::size_t>& size) const {
  const std::size_t length =
      std::accumulate(size.begin(), size.end(), std::size_t{1}, [](auto a, auto b) { return a * b; });
  std::string out(std::min(length, longest_netcdf_text), '\0');
  if (length > longest_netcdf_text || length == 0 ||
      nc_get_vara_text(file_, variable, start.data(), size.data(), out.data()) != NC_NOERR)
    return "";
  out.resize(std::min(out.size(), out.find('\0')));
  return clean_text(std::string(trimmed(out)), 80);
}

void NetcdfFile::damaged(const std::string& what) const {
  throw Error(Status::input, path_ + ": damaged netCDF file: " + what + "; copy it again");
}

}  // namespace vprism
