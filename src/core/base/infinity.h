// Infinity by name.
#pragma once

namespace hemline {

/// Stands for infinity: more than any length, angle or count that there is. A finite number, so that differences, middles and products of
/// what is not there stay numbers and never become NaN (an empty box has a middle).
constexpr double kInfinity = 1e300;
/// What is less than this in size is a value, and not infinity.
constexpr double kFinite = 1e299;

} // namespace hemline
