// What people type for a value, and how it is shown to them: the same in the window and on the command line.
#pragma once
#include "base/ranges.h"
#include "base/units.h"
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace hemline {

/// What a number is: how it is shown, and what may be typed. In files: mm, degrees, mm^2, N, mm/min.
enum class Quantity { Length, FineLength, Angle, Area, Force, Number, Count };

/// Throws Error: what is wrong, with which value, what would be good.
[[noreturn]] void refuse(const std::string& what, const std::string& label, const std::string& good);

/// A length in mm from "2 um", "1/8 in", "3*0.2". `fine`: micrometres (tenths of a thou) are meant where no unit is typed; `shown`: the
/// value that stood there, a number without a unit is in the unit that it was shown in. Throws Error: not a length, or out of range (mm).
double readLength(const std::string& typed, LengthUnit unit, bool fine, double least, double most, const std::string& label,
                  const std::optional<double>& shown = std::nullopt);
/// Radians from degrees, "12 deg", "12°". Limits in degrees. Throws Error.
double readAngle(const std::string& typed, double least, double most, const std::string& label);
/// In the unit of files. `shown`: as for readLength. Throws Error.
double readQuantity(const std::string& typed, Quantity quantity, const Range& range, LengthUnit unit, const std::string& label,
                    const std::optional<double>& shown = std::nullopt);
/// As it is shown to be edited, from the unit of files: no zeros behind it that say nothing.
std::string showQuantity(double value, Quantity quantity, LengthUnit unit);
std::string plainLength(double mm, LengthUnit unit, bool fine);

/// "1, 2; 3, 4": lists of `n` numbers. Throws Error telling what is `good`.
std::vector<std::vector<double>> readLists(const std::string& typed, std::size_t n, const std::string& label, const std::string& good);
/// "1, 2".
std::string plainNumbers(const std::vector<double>& numbers);

} // namespace hemline
