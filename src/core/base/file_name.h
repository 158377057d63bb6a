// Names of files as bytes (POSIX), and as JSON text, which knows UTF-8 only.
#pragma once
#include <string>
#include <string_view>

namespace hemline {

/// As it is where it is UTF-8; else, and where it begins with "file:", as a URI reference (RFC 8089, RFC 3986): "file:caf%E9/a.stl".
std::string fileNameToJson(std::string_view name);
/// Back to the bytes. Throws Error where a "file:" is followed by a percent sign without two hexadecimal digits.
std::string fileNameFromJson(std::string_view text);
/// For reading by people: bytes that are no UTF-8 are U+FFFD each.
std::string readableName(std::string_view name);

} // namespace hemline
