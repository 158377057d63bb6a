#include "base/safe_name.h"
#include <cctype>

namespace hemline {
namespace {

constexpr std::size_t kComment = 120, kFile = 60; // characters

std::string printable(std::string_view text, std::string_view without) {
  std::string out;
  for (const char c : oneLine(text, kComment)) {
    const auto u = static_cast<unsigned char>(c);
    out += u < 32 || u > 126 || without.find(c) != std::string_view::npos ? ' ' : c;
  }
  return out;
}

} // namespace

std::string oneLine(std::string_view text, std::size_t most) {
  std::string out;
  for (const char c : text) {
    const auto u = static_cast<unsigned char>(c);
    out += u < 32 || u == 127 ? ' ' : c;
  }
  if (out.size() <= most) return out;
  std::size_t end = most > 3 ? most - 3 : 0;
  while (end > 0 && (static_cast<unsigned char>(out[end]) & 0xC0) == 0x80) --end; // not within a character
  return out.substr(0, end) + "...";
}

std::string isoComment(std::string_view text) {
  return printable(text, "()%");
}

std::string clWord(std::string_view text) {
  return printable(text, "$");
}

std::string filePart(std::string_view text) {
  std::string out;
  for (const char c : text.substr(0, kFile)) {
    const auto u = static_cast<unsigned char>(c);
    out += std::isalnum(u) && u < 128 ? static_cast<char>(std::tolower(u)) : '-';
  }
  return out.empty() ? "x" : out;
}

std::string htmlText(std::string_view text) {
  std::string out;
  for (const char c : text) {
    if (c == '<')
      out += "&lt;";
    else if (c == '>')
      out += "&gt;";
    else if (c == '&')
      out += "&amp;";
    else if (c == '"')
      out += "&quot;";
    else
      out += c;
  }
  return out;
}

} // namespace hemline
