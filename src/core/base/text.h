// Small things done to texts.
#pragma once
#include <string>
#include <string_view>
#include <vector>

namespace hemline {

inline std::string trimmed(std::string_view text) {
  const auto from = text.find_first_not_of(" \t\r\n");
  if (from == std::string_view::npos) return {};
  return std::string(text.substr(from, text.find_last_not_of(" \t\r\n") - from + 1));
}

/// All of it but every occurrence of `piece`.
inline std::string without(std::string text, std::string_view piece) {
  for (auto at = text.find(piece); at != std::string::npos; at = text.find(piece, at)) text.erase(at, piece.size());
  return text;
}

/// Pieces between separators, trimmed; empty ones are left out.
inline std::vector<std::string> pieces(std::string_view text, char separator) {
  std::vector<std::string> out;
  while (!text.empty()) {
    const auto end = text.find(separator);
    if (std::string one = trimmed(text.substr(0, end)); !one.empty()) out.push_back(std::move(one));
    if (end == std::string_view::npos) break;
    text.remove_prefix(end + 1);
  }
  return out;
}

inline std::string joined(const std::vector<std::string>& list, std::string_view between) {
  std::string out;
  for (const std::string& one : list) out += (out.empty() ? "" : std::string(between)) + one;
  return out;
}

} // namespace hemline
