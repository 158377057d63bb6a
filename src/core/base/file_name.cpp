#include "base/file_name.h"
#include "base/error.h"
#include <charconv>
#include <cstring>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace hemline {
namespace {

constexpr std::string_view kUri = "file:";

std::string dumped(std::string_view text, nlohmann::json::error_handler_t wrong) {
  return nlohmann::json(text).dump(-1, ' ', false, wrong);
}

} // namespace

std::string fileNameToJson(std::string_view name) {
  using Wrong = nlohmann::json::error_handler_t;
  const bool isText = dumped(name, Wrong::ignore) == dumped(name, Wrong::replace);
  if (isText && !name.starts_with(kUri)) return std::string(name);
  std::string out(kUri);
  for (const char c : name) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || (c != 0 && std::strchr("-._~/", c));
    out += plain ? std::string(1, c) : fmt::format("%{:02X}", static_cast<unsigned char>(c));
  }
  return out;
}

std::string fileNameFromJson(std::string_view text) {
  if (!text.starts_with(kUri)) return std::string(text);
  std::string out;
  for (std::size_t i = kUri.size(); i < text.size(); ++i) {
    if (text[i] != '%') {
      out += text[i];
      continue;
    }
    int byte = 0;
    const char* from = text.data() + i + 1;
    if (i + 3 > text.size() || std::from_chars(from, from + 2, byte, 16).ptr != from + 2 || byte <= 0)
      throw Error(Fault::NotUnderstood, "The file name has a percent sign without two hexadecimal digits", std::string(text),
                  "Write %25 for the sign itself.");
    out += static_cast<char>(byte);
    i += 2;
  }
  return out;
}

std::string readableName(std::string_view name) {
  return nlohmann::json::parse(dumped(name, nlohmann::json::error_handler_t::replace)).get<std::string>();
}

} // namespace hemline
