// Lengths as people type and read them. Stored: millimetres, radians, seconds.
#pragma once
#include "base/infinity.h"
#include <optional>
#include <string>

namespace hemline {

enum class LengthUnit { Millimetre, Inch };

constexpr double kInch = 25.4;
constexpr double kPi = 3.14159265358979323846;
constexpr double radians(double degrees) {
  return degrees * kPi / 180;
}
constexpr double degrees(double radians) {
  return radians * 180 / kPi;
}

/// Reads a length with optional unit and sums: "1/8 in", "3*0.2", "2,5 mm", "2 um", "0.5 thou".
/// Without a unit the given one is meant. Returns millimetres, or nothing if it cannot be read.
std::optional<double> parseLength(const std::string& text, LengthUnit assumed);

/// Reads a plain number or sum, decimal comma or point.
std::optional<double> parseNumber(const std::string& text);

/// "12.5 mm" / "0.4921 in"; below 0.05 mm in micrometres / ten-thousandths of an inch where `small` asks for it.
std::string formatLength(double mm, LengthUnit unit, bool small = false);

/// "220.0 × 120.0 × 45.0 mm" / "8.661 × 4.724 × 1.772 in": as people tell how large something is.
std::string formatSize(double x, double y, double z, LengthUnit unit);

/// "-14.2, -11.6, -2.6 mm" / "-0.559, -0.457, -0.102 in": a place, with so many digits as a view tells apart.
std::string formatPlace(double x, double y, double z, LengthUnit unit);
/// "7.4 cm²", "0.3 mm²" / "1.15 in²".
std::string formatArea(double mm2, LengthUnit unit);

/// "7.4 cm³" / "0.45 in³".
std::string formatVolume(double mm3, LengthUnit unit);
/// "1200 mm/min" / "47.2 in/min".
std::string formatFeed(double mmPerMinute, LengthUnit unit);

/// "2 h 05 min", "3 min 12 s", "8.4 s".
std::string formatDuration(double seconds);

} // namespace hemline
