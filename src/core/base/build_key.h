// Which build of the core this is.
#pragma once
#include "base/hash.h"
#include <optional>

namespace hemline {

/// Of the build identifier that the linker put into the core (ELF note NT_GNU_BUILD_ID: a hash of all that was linked); none where it put
/// none. Two builds of different code never have the same.
std::optional<Key> buildKey();

} // namespace hemline
