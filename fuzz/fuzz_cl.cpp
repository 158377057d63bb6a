// Whatever stands in a file of cutter-location text: it is read or refused with a line, and what was read can be written again.
#include "base/error.h"
#include "machine/program.h"
#include <cstdlib>

using namespace hemline;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  Path path;
  try {
    path = readCl(std::string(reinterpret_cast<const char*>(data), size), "file");
  } catch (const Error& e) {
    if (e.place.rfind("file", 0) != 0 || e.happened.empty() || e.remedy.empty()) std::abort();
    return 0;
  }
  if (path.locations.size() < 2 || path.lines.size() != path.locations.size()) std::abort();
  for (const Location& l : path.locations)
    if (!l.tip.allFinite() || std::abs(l.axis.norm() - 1) > 1e-9 || !std::isfinite(l.feed) || l.feed < 0) std::abort();
  if (path.tipBounds().size().norm() > 1e8) return 0; // numbers longer than the format's
  const Path again = readCl(writeCl({"step", "cutter", 1, 1000, &path, nullptr}), "file");
  if (again.locations.size() != path.locations.size()) std::abort();
  return 0;
}
