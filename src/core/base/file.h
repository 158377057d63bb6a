// Whole files in and out. Writing never destroys the old file before the new one is safe.
#pragma once
#include <string>

namespace hemline {

/// The bytes of a file. Throws Error (missing, unreadable).
std::string readFile(const std::string& path);

/// Writes beside the target, flushes to the disk, then renames over it, so that the old file stays whole
/// until the new one is. Throws Error (no space, read-only, missing folder); the old file is then untouched.
void writeFileSafely(const std::string& path, const std::string& bytes);

} // namespace hemline
