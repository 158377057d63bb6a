#include "base/units.h"
#include <cctype>
#include <cmath>
#include <cstdlib>
#include <fmt/format.h>

namespace hemline {
namespace {

/// A recursive-descent reader of sums: + - * / and brackets over decimal numbers.
struct SumReader {
  const char* at;
  bool ok = true;
  void skip() {
    while (*at == ' ') ++at;
  }
  double number() {
    skip();
    if (*at == '(') {
      ++at;
      const double v = sum();
      skip();
      if (*at == ')')
        ++at;
      else
        ok = false;
      return v;
    }
    if (*at == '-') {
      ++at;
      return -number();
    }
    if (*at == '+') {
      ++at;
      return number();
    }
    if (!std::isdigit(static_cast<unsigned char>(*at)) && *at != '.') {
      ok = false;
      return 0;
    }
    double whole = 0, scale = 1;
    bool fraction = false;
    for (; std::isdigit(static_cast<unsigned char>(*at)) || (*at == '.' && !fraction); ++at) {
      if (*at == '.') {
        fraction = true;
        continue;
      }
      whole = whole * 10 + (*at - '0');
      if (fraction) scale *= 10;
    }
    return whole / scale;
  }
  double product() {
    double v = number();
    for (skip(); ok && (*at == '*' || *at == '/'); skip()) {
      const char op = *at++;
      const double w = number();
      v = op == '*' ? v * w : v / w;
    }
    return v;
  }
  double sum() {
    double v = product();
    for (skip(); ok && (*at == '+' || *at == '-'); skip()) {
      const char op = *at++;
      const double w = product();
      v = op == '+' ? v + w : v - w;
    }
    return v;
  }
};

std::optional<double> readSum(std::string text, std::string& rest) {
  for (char& c : text)
    if (c == ',') c = '.';
  SumReader reader{text.c_str()};
  const double v = reader.sum();
  reader.skip();
  rest = reader.at;
  while (!rest.empty() && rest.back() == ' ') rest.pop_back();
  if (!reader.ok || !std::isfinite(v)) return std::nullopt;
  return v;
}

} // namespace

std::optional<double> parseNumber(const std::string& text) {
  std::string rest;
  const auto v = readSum(text, rest);
  return v && rest.empty() ? v : std::nullopt;
}

std::optional<double> parseLength(const std::string& text, LengthUnit assumed) {
  std::string rest;
  const auto v = readSum(text, rest);
  if (!v) return std::nullopt;
  if (rest.empty()) return *v * (assumed == LengthUnit::Inch ? kInch : 1.0);
  if (rest == "mm") return *v;
  if (rest == "in" || rest == "inch" || rest == "\"") return *v * kInch;
  if (rest == "um" || rest == "µm" || rest == "μm") return *v * 1e-3;
  if (rest == "thou") return *v * kInch * 1e-3;
  if (rest == "tenths") return *v * kInch * 1e-4;
  if (rest == "cm") return *v * 10;
  if (rest == "m") return *v * 1000;
  return std::nullopt;
}

std::string formatLength(double mm, LengthUnit unit, bool small) {
  if (unit == LengthUnit::Millimetre) {
    if (small && std::abs(mm) < 0.05) return fmt::format("{:.2f} µm", mm * 1e3);
    return fmt::format("{:.3f} mm", mm);
  }
  if (small && std::abs(mm) < 0.05) return fmt::format("{:.2f} tenths", mm / kInch * 1e4);
  return fmt::format("{:.4f} in", mm / kInch);
}

std::string formatSize(double x, double y, double z, LengthUnit unit) {
  if (unit == LengthUnit::Millimetre) return fmt::format("{:.1f} × {:.1f} × {:.1f} mm", x, y, z);
  return fmt::format("{:.3f} × {:.3f} × {:.3f} in", x / kInch, y / kInch, z / kInch);
}

std::string formatPlace(double x, double y, double z, LengthUnit unit) {
  if (unit == LengthUnit::Millimetre) return fmt::format("{:.1f}, {:.1f}, {:.1f} mm", x, y, z);
  return fmt::format("{:.3f}, {:.3f}, {:.3f} in", x / kInch, y / kInch, z / kInch);
}

std::string formatArea(double mm2, LengthUnit unit) {
  if (unit == LengthUnit::Inch) return fmt::format("{:.{}f} in²", mm2 / (kInch * kInch), mm2 >= 1000 ? 2 : 4);
  return mm2 >= 100 ? fmt::format("{:.1f} cm²", mm2 / 100) : fmt::format("{:.1f} mm²", mm2);
}

std::string formatVolume(double mm3, LengthUnit unit) {
  return unit == LengthUnit::Inch ? fmt::format("{:.3g} in³", mm3 / (kInch * kInch * kInch)) : fmt::format("{:.1f} cm³", mm3 / 1000);
}

std::string formatFeed(double mmPerMinute, LengthUnit unit) {
  return unit == LengthUnit::Inch ? fmt::format("{:.1f} in/min", mmPerMinute / kInch) : fmt::format("{:.0f} mm/min", mmPerMinute);
}

std::string formatDuration(double seconds) {
  if (!std::isfinite(seconds)) return "time not known";
  if (seconds < 60) return fmt::format("{:.1f} s", seconds);
  const long total = std::lround(seconds);
  if (total < 3600) return fmt::format("{} min {:02} s", total / 60, total % 60);
  const long minutes = std::lround(seconds / 60);
  return fmt::format("{} h {:02} min", minutes / 60, minutes % 60);
}

} // namespace hemline
