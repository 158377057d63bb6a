// Mutated whole files as a user would open them: jobs, materials, and models that are read apart. Read, or refused with an Error, never
// worse. HEMLINE_READER is the file's ending: job, materials, ply, step, iges, ...
#include "base/error.h"
#include "base/file.h"
#include "base/ranges.h"
#include "cutter/force.h"
#include "model/job.h"
#include "mutate_json.h"
#include "part/apart.h"
#include "part/part.h"
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <unistd.h>

using namespace hemline;

namespace {
const std::string reader = std::getenv("HEMLINE_READER") ? std::getenv("HEMLINE_READER") : "job";

void job(const std::string& bytes) {
  const Job read = jobFromJson(parseJson(bytes, "The job file", "job", "Restore it."), "job");
  // What is read is written, and that is read as the same.
  const std::string written = toJson(read).dump();
  if (toJson(jobFromJson(nlohmann::json::parse(written), "job")).dump() != written) std::abort();
  checkJob(read);
}
} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const std::string path = (std::filesystem::temp_directory_path() / fmt::format("hemline-fuzz-{}.{}", getpid(), reader)).string();
  const std::string bytes(reinterpret_cast<const char*>(data), size);
  try {
    if (reader == "job") {
      job(bytes);
    } else {
      writeFileSafely(path, bytes);
      Progress quiet;
      constexpr double kChord = 0; // enough for describing
      if (reader == "materials")
        readMaterials(path);
      else if (reader == "step" || reader == "iges")
        readCadApart(path, reader == "iges", {{}, kChord}, quiet);
      else
        readPart(path, {LengthUnit::Millimetre}, quiet);
    }
  } catch (const Error&) {
  } catch (const std::bad_alloc&) { // what asks for more than there is is told so
  }
  std::filesystem::remove(path);
  return 0;
}

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most, unsigned seed) {
  return reader == "job" || reader == "materials" ? mutateJson(data, size, most, seed) : LLVMFuzzerMutate(data, size, most);
}
