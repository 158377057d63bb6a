#include "model/salvage.h"
#include "base/error.h"
#include "base/safe_name.h"
#include <fmt/format.h>

namespace hemline {
namespace {

using nlohmann::json;

constexpr std::size_t kShown = 12; // lines of what is lost; more are counted

/// What of the document can be read: up to a fault, and from the next field of the job on, which stands on a line of its own in files that
/// were written here.
json readAroundFaults(const std::string& text, Salvaged& out, const std::string& where) {
  json all = json::object();
  std::size_t at = 0; // what is read begins here
  const auto line = [&](std::size_t place) {
    return 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(std::min(place, text.size())), '\n');
  };
  while (true) {
    const std::string rest = at == 0 ? text : "{" + text.substr(at);
    const std::size_t shift = at == 0 ? 0 : 1;
    std::size_t fault = rest.size();
    json part;
    bool whole = false;
    try {
      part = json::parse(rest);
      whole = true;
    } catch (const json::parse_error& e) {
      fault = std::min(rest.size(), e.byte > 0 ? e.byte - 1 : 0);
      part = json::parse(closedBefore(rest, fault), nullptr, false);
    }
    if (part.is_object())
      for (auto it = part.begin(); it != part.end(); ++it)
        if (!all.contains(it.key())) all[it.key()] = *it;
    if (whole) break;
    const std::size_t next = text.find("\n \"", std::max(at + 1, at + fault - shift));
    out.lost.push_back(
        next == std::string::npos
            ? fmt::format("what stands from line {} on, where the file is damaged", line(at + fault - shift))
            : fmt::format("what stands about lines {} to {}, where the file is damaged", line(at + fault - shift), line(next)));
    if (next == std::string::npos) break;
    at = next + 1;
  }
  if (all.empty()) throw Error(Fault::Damaged, "Nothing of this file can be read", where, "Restore it from a copy.");
  return all;
}

class Salvage {
public:
  Salvage(json from, Salvaged& out, const std::string& where) : from_(std::move(from)), out_(out), where_(where) {
    for (const char* needed : {"hemline_job", "part", "machine"})
      if (from_.contains(needed)) so_[needed] = from_[needed];
    jobFromJson(so_, where_); // without these there is no job
  }

  Job job() {
    // Cutters and holders come before the steps that name them only for the eye: nothing here looks at names.
    for (auto it = from_.begin(); it != from_.end(); ++it) {
      if (so_.contains(it.key())) continue;
      if (it->is_array())
        list(it.key(), *it);
      else if (const std::string why = whyNot(it.key(), *it); !why.empty())
        out_.lost.push_back(fmt::format("{}: {}", it.key(), why));
    }
    return jobFromJson(so_, where_);
  }

private:
  /// Takes the value in where the job can be read with it; else says why not.
  std::string whyNot(const std::string& name, const json& value) {
    json with = so_;
    with[name] = value;
    try {
      jobFromJson(with, where_);
    } catch (const Error& e) {
      return e.happened;
    } catch (const json::exception&) {
      return "it is not what it must be";
    }
    so_ = std::move(with);
    return {};
  }

  void list(const std::string& name, const json& entries) {
    const std::string whyNotAll = whyNot(name, entries);
    const bool all = whyNotAll.empty();
    if (!all && entries.empty()) out_.lost.push_back(fmt::format("{}: {}", name, whyNotAll));
    json whole = all ? entries : json::array();
    for (std::size_t k = 0; !all && k < entries.size(); ++k) {
      json more = whole;
      more.push_back(entries[k]);
      const std::string why = whyNot(name, more);
      if (why.empty())
        whole = std::move(more);
      else
        out_.lost.push_back(fmt::format("{} {}{}: {}", name, k + 1, called(entries[k]), why));
    }
    if (!entries.empty())
      out_.kept.push_back(all ? fmt::format("all {} {}", entries.size(), name)
                              : fmt::format("{} of {} {}", whole.size(), entries.size(), name));
  }

  static std::string called(const json& entry) {
    return entry.is_object() && entry.contains("name") && entry["name"].is_string() ? " '" + oneLine(entry["name"].get<std::string>()) + "'"
                                                                                    : "";
  }

  json from_, so_ = json::object();
  Salvaged& out_;
  const std::string& where_;
};

} // namespace

std::string closedBefore(const std::string& text, std::size_t fault) {
  std::string open; // brackets that wait to be closed
  std::size_t whole = 0;
  std::string openThen;
  bool inText = false, escaped = false;
  // Half an entry would be read as one whose other values are those of a new one: only what stands in the job itself, or is a whole entry
  // of one of its lists, is taken.
  const auto entries = [&] { return open.size() == 1 || (open.size() == 2 && open[1] == '['); };
  for (std::size_t i = 0; i < std::min(fault, text.size()); ++i) {
    const char c = text[i];
    if (inText) {
      inText = escaped || c != '"';
      escaped = !escaped && c == '\\';
      continue;
    }
    if (c == '"') inText = true;
    if (c == '{' || c == '[') open += c;
    if (c == ',' && entries()) whole = i, openThen = open; // what stands before a comma is whole
    if (c == '}' || c == ']') {
      if (open.empty()) break;
      open.pop_back();
      if (open.empty() || entries()) whole = i + 1, openThen = open;
    }
  }
  std::string out = text.substr(0, whole);
  for (auto it = openThen.rbegin(); it != openThen.rend(); ++it) out += *it == '{' ? '}' : ']';
  return out;
}

Salvaged salvageJob(const std::string& text, const std::string& where) {
  Salvaged out;
  json from = readAroundFaults(text, out, where);
  if (!from.contains("hemline_job") || !from["hemline_job"].is_number_integer()) from["hemline_job"] = kJobVersion;
  if (!from.contains("machine") || !from["machine"].is_string()) {
    from["machine"] = "machine.json";
    out.lost.push_back("machine: its file is not told; choose one in Hold");
  }
  out.job = Salvage(std::move(from), out, where).job();
  if (out.lost.size() > kShown) {
    const std::size_t more = out.lost.size() - kShown;
    out.lost.resize(kShown);
    out.lost.push_back(fmt::format("and {} more", more));
  }
  return out;
}

} // namespace hemline
