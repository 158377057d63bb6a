// Mutated models, libraries and machines: read, or refused with an Error, never worse. Which reader is in HEMLINE_READER.
#include "base/error.h"
#include "base/ranges.h"
#include "cutter/force.h"
#include "cutter/library.h"
#include "machine/machine.h"
#include "mutate_json.h"
#include "part/formats.h"
#include <cstdlib>
#include <nlohmann/json.hpp>

using namespace hemline;

namespace {
const std::string reader = std::getenv("HEMLINE_READER") ? std::getenv("HEMLINE_READER") : "3mf";
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string bytes(reinterpret_cast<const char*>(data), size), name = "model." + reader;
  try {
    if (reader == "3mf") {
      read3mf(name, bytes);
    } else if (reader == "json") {
      const nlohmann::json j = parseJson(bytes, "The file", name, "Restore it.");
      for (const auto& read :
           {+[](const nlohmann::json& v) { cutterFromJson(v, "cutter"); }, +[](const nlohmann::json& v) { holderFromJson(v, "holder"); },
            +[](const nlohmann::json& v) { machineFromJson(v, "machine"); }})
        try {
          read(j);
        } catch (const Error&) {
        }
    } else {
      unitInComments(bytes);
      readFacets(name, bytes);
    }
  } catch (const Error&) {
  } catch (const std::bad_alloc&) { // what asks for more than there is is told so
  }
  return 0;
}

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most, unsigned seed) {
  return reader == "json" ? mutateJson(data, size, most, seed) : LLVMFuzzerMutate(data, size, most);
}
