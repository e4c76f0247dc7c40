// host.cpp: see host.h.
#include "base/machine/host.h"

#include <unistd.h>

namespace vprism {

std::string host_name() {
  char name[256] = "";
  ::gethostname(name, sizeof name - 1);
  return name;
}

}  // namespace vprism
