#include "model/typed.h"
#include "base/error.h"
#include "base/text.h"
#include <cmath>
#include <fmt/format.h>

namespace hemline {
namespace {

const char* unitOf(Quantity q) {
  return q == Quantity::Area ? "mm²" : q == Quantity::Force ? "N" : "";
}

} // namespace

void refuse(const std::string& what, const std::string& label, const std::string& good) {
  throw Error(Fault::NotUnderstood, what, label, good);
}

std::string plainLength(double mm, LengthUnit unit, bool fine) {
  const std::string whole = formatLength(mm, unit, fine);
  const auto blank = whole.find(' ');
  std::string digits = whole.substr(0, blank);
  if (digits.find('.') != std::string::npos) {
    digits.erase(digits.find_last_not_of('0') + 1);
    if (digits.back() == '.') digits.pop_back();
  }
  return digits + whole.substr(blank);
}

double readLength(const std::string& typed, LengthUnit unit, bool fine, double least, double most, const std::string& label,
                  const std::optional<double>& shown) {
  std::string s = trimmed(typed);
  s.erase(0, std::min(s.size(), s.find_first_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-.(")));
  if (fine && s.find_first_of("abcdefghijklmnopqrstuvwxyz\"\xc2\xce") == std::string::npos) {
    const std::string as = formatLength(shown.value_or(0), unit, fine);
    s += as.substr(as.rfind(' '));
  }
  const auto v = parseLength(s, unit);
  const std::string range = fmt::format("Type a length from {} to {}, such as \"{}\".", formatLength(least, unit, fine),
                                        formatLength(most, unit, fine), fine ? "2 um" : "1/8 in");
  if (!v) refuse(fmt::format("\"{}\" is not a length", typed), label, range);
  if (!(*v >= least && *v <= most)) refuse(fmt::format("{} is out of range", formatLength(*v, unit, fine)), label, range);
  return *v;
}

double readAngle(const std::string& typed, double least, double most, const std::string& label) {
  const auto v = parseNumber(trimmed(without(without(typed, "°"), "deg")));
  const std::string range = fmt::format("Type an angle from {:g}° to {:g}°.", least, most);
  if (!v) refuse(fmt::format("\"{}\" is not an angle", typed), label, range);
  if (!(*v >= least && *v <= most)) refuse(fmt::format("{:g}° is out of range", *v), label, range);
  return radians(*v);
}

double readQuantity(const std::string& typed, Quantity q, const Range& range, LengthUnit unit, const std::string& label,
                    const std::optional<double>& shown) {
  if (q == Quantity::Length || q == Quantity::FineLength)
    return readLength(typed, unit, q == Quantity::FineLength, range.least, range.greatest, label, shown);
  if (q == Quantity::Angle) return std::round(degrees(readAngle(typed, range.least, range.greatest, label)) * 1e9) / 1e9;
  std::string plain = typed;
  for (const char* word : {"mm/min", "mm²", "mm2", "rpm", "N", "T"}) plain = without(plain, word);
  const auto v = parseNumber(trimmed(plain));
  const std::string good = fmt::format("Type {} from {:g} to {:g}{}{}.", q == Quantity::Count ? "a whole number" : "a number", range.least,
                                       range.greatest, *unitOf(q) ? " " : "", unitOf(q));
  if (!v || (q == Quantity::Count && *v != std::floor(*v)))
    refuse(fmt::format("\"{}\" is not {}", typed,
                       q == Quantity::Area    ? "an area"
                       : q == Quantity::Force ? "a force"
                       : q == Quantity::Count ? "a whole number"
                                              : "a number"),
           label, good);
  if (!(*v >= range.least && *v <= range.greatest)) refuse(fmt::format("{:g} is out of range", *v), label, good);
  return *v;
}

std::string showQuantity(double value, Quantity q, LengthUnit unit) {
  switch (q) {
  case Quantity::Length:
  case Quantity::FineLength:
    return plainLength(value, unit, q == Quantity::FineLength);
  case Quantity::Angle:
    return fmt::format("{:.4g}°", value);
  case Quantity::Area:
    return fmt::format("{:.4g} mm²", value);
  case Quantity::Force:
    return fmt::format("{:.6g} N", value);
  case Quantity::Number:
  case Quantity::Count:
    break;
  }
  return fmt::format("{:g}", value);
}

std::vector<std::vector<double>> readLists(const std::string& typed, std::size_t n, const std::string& label, const std::string& good) {
  std::vector<std::vector<double>> out;
  for (const std::string& one : pieces(typed, ';')) {
    std::vector<double> v;
    for (const std::string& number : pieces(one, ',')) {
      const auto x = parseNumber(number);
      if (!x) refuse("\"" + number + "\" is not a number", label, good);
      v.push_back(*x);
    }
    if (v.size() != n) refuse(fmt::format("\"{}\" is not {} numbers", one, n), label, good);
    out.push_back(std::move(v));
  }
  return out;
}

std::string plainNumbers(const std::vector<double>& numbers) {
  std::vector<std::string> l;
  for (const double v : numbers) l.push_back(fmt::format("{:.6g}", std::abs(v) < 1e-9 ? 0.0 : v));
  return joined(l, ", ");
}

} // namespace hemline
