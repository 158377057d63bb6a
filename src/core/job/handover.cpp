#include "job/handover.h"
#include "base/file.h"
#include <chrono>
#include <ctime>
#include <filesystem>
#include <fmt/chrono.h>
#include <fmt/format.h>
#include <unistd.h>

namespace hemline {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

/// What every program that was written here says in its first lines.
constexpr const char* kWrittenHere = "(written for the stand-in machine";
constexpr std::size_t kFirstLines = 4096; // bytes in which it stands
constexpr const char* kWriting = "being written: do not run anything of this folder";

std::string now() {
  return fmt::format("{:%Y-%m-%d %H:%M:%S} UTC", fmt::gmtime(std::time(nullptr)));
}

/// Is this a program or a path that was written here?
bool isOurs(const fs::path& file) {
  const std::string ending = file.extension().string();
  if (ending != ".nc" && ending != ".cl") return false;
  try {
    const std::string text = readFile(file.string());
    const std::string head = text.substr(0, kFirstLines);
    return ending == ".nc" ? head.find(kWrittenHere) != std::string::npos : head.find("Hemline") != std::string::npos;
  } catch (const Error&) {
    return false;
  }
}

std::vector<std::string> programsIn(const std::string& folder) {
  std::vector<std::string> out;
  std::error_code ec;
  for (fs::directory_iterator it(folder, ec), end; !ec && it != end; it.increment(ec))
    if (it->is_regular_file(ec) && isOurs(it->path())) out.push_back(it->path().filename().string());
  std::sort(out.begin(), out.end());
  return out;
}

json readManifest(const std::string& folder) {
  try {
    json j = json::parse(readFile((fs::path(folder) / kManifest).string()));
    return j.is_object() ? j : json::object();
  } catch (const std::exception&) {
    return json::object();
  }
}

json listed(const std::string& name, const std::string& bytes) {
  return {{"file", name}, {"hash", hashText(bytes).text()}};
}

} // namespace

OutputFolder::OutputFolder(const std::string& folder, const std::string& jobPath) : folder_(folder), job_(jobPath), began_(now()) {
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (ec || !fs::is_directory(folder, ec))
    throw Error(Fault::File, "The output folder cannot be made" + (ec ? ": " + ec.message() : std::string()), folder,
                "Choose one that you may write to.");
  if (::access(folder.c_str(), W_OK | X_OK) != 0)
    throw Error(Fault::File, "The output folder cannot be written to", folder, "Choose one that you may write to.");
  json before = readManifest(folder);
  // What an earlier run handed over stays what it is until this one ends; a kill on the way leaves this word.
  state("a run is on its way or was cut off; programs that lie here are of an earlier run", {{"earlier", before.value("state", "")}});
}

OutputFolder::~OutputFolder() {
  if (finished_) return;
  try {
    moveAside({});
    state("not handed over: the run ended before anything could be", {{"moved_aside", moved_}});
  } catch (const std::exception&) { // release.json says already that a run was cut off
  }
}

void OutputFolder::put(const std::string& name, std::string bytes) {
  files_.emplace_back(name, std::move(bytes));
}

std::vector<std::string> OutputFolder::papers() const {
  std::vector<std::string> out;
  for (const auto& [name, bytes] : files_) out.push_back(name);
  return out;
}

void OutputFolder::state(const std::string& state, const json& more) {
  json j{{"state", state}, {"job", job_}, {"began", began_}, {"written", now()}};
  if (more.is_object()) j.update(more);
  writeFileSafely((fs::path(folder_) / kManifest).string(), j.dump(1, ' ', false, json::error_handler_t::replace) + "\n");
}

void OutputFolder::moveAside(const std::vector<std::string>& except) {
  std::vector<std::string> old;
  for (const std::string& name : programsIn(folder_))
    if (std::find(except.begin(), except.end(), name) == except.end()) old.push_back(name);
  if (old.empty()) return;
  fs::path aside;
  int n = 1;
  do aside = fs::path(folder_) / fmt::format("earlier-{}", n++);
  while (fs::exists(aside));
  std::error_code ec;
  fs::create_directory(aside, ec);
  for (const std::string& name : old) {
    fs::rename(fs::path(folder_) / name, aside / name, ec);
    if (ec)
      throw Error(Fault::File, "A program of an earlier run cannot be moved aside: " + ec.message(), (fs::path(folder_) / name).string(),
                  "Move or delete it yourself; it does not belong to this run.");
    moved_.push_back((aside.filename() / name).string());
  }
}

/// Programs of earlier runs go aside, then the papers are written; their list.
json OutputFolder::writePapers(const std::vector<std::string>& programs) {
  state(kWriting, {});
  std::vector<std::string> fresh = papers();
  fresh.insert(fresh.end(), programs.begin(), programs.end());
  moveAside(fresh);
  json out = json::array();
  for (const auto& [name, bytes] : files_) {
    writeFileSafely((fs::path(folder_) / name).string(), bytes);
    out.push_back(listed(name, bytes));
  }
  return out;
}

void OutputFolder::finish(const std::string& outcome, const std::vector<std::string>& heldBy) {
  const json papers = writePapers({});
  state(outcome, {{"released", false}, {"programs", json::array()}, {"papers", papers}, {"held_by", heldBy}, {"moved_aside", moved_}});
  finished_ = true;
}

std::vector<std::string> OutputFolder::finish(const Release& release, const JobResult& result, bool heldAnyway) {
  std::vector<ProgramFile> programs;
  const bool held = !release.heldBy.empty();
  if (!held || (heldAnyway && !release.never()))
    for (const ProgramFile& p : release.programs) programs.push_back(held ? markedHeld(p) : p);
  std::vector<std::string> fresh;
  for (const ProgramFile& p : programs) fresh.push_back(p.file);
  const json papers = writePapers(fresh);
  json list = json::array();
  std::vector<std::string> names;
  for (const ProgramFile& p : programs) {
    writeFileSafely((fs::path(folder_) / p.file).string(), p.text);
    list.push_back(listed(p.file, p.text));
    names.push_back(p.file);
  }
  const std::string outcome = !held           ? release.waived ? "released with waivers" : "released: proven"
                              : names.empty() ? "held: no program is given out"
                                              : "held, and given out all the same: do not run";
  state(outcome, {{"released", !held},
                  {"programs", list},
                  {"papers", papers},
                  {"held_by", linesOf(release.heldBy)},
                  {"moved_aside", moved_},
                  {"inputs", [&] {
                     json inputs = json::array();
                     for (const InputFile& f : result.inputs)
                       inputs.push_back({{"what", f.what}, {"file", f.path}, {"hash", f.hash.text()}});
                     return inputs;
                   }()}});
  finished_ = true;
  return names;
}

FolderState checkFolder(const std::string& folder) {
  FolderState out;
  std::error_code ec;
  if (!fs::is_directory(folder, ec)) throw Error(Fault::File, "There is no such folder", folder, "Name the folder that a run wrote.");
  const json j = readManifest(folder);
  const auto text = [&](const char* name) { return j.contains(name) && j[name].is_string() ? j[name].get<std::string>() : std::string(); };
  out.state = text("state");
  if (out.state.empty()) {
    out.state = "not a folder that was handed over";
    out.wrong.push_back(std::string(kManifest) + " is missing or damaged");
    return out;
  }
  std::vector<std::string> known;
  for (const char* kind : {"papers", "programs"})
    for (const json& f : j.contains(kind) && j[kind].is_array() ? j[kind] : json::array()) {
      const std::string name = f.value("file", ""), hash = f.value("hash", "");
      known.push_back(name);
      try {
        if (hashFile((fs::path(folder) / name).string()).text() != hash) out.wrong.push_back(name + " is not as it was written");
      } catch (const Error&) {
        out.wrong.push_back(name + " is missing");
      }
    }
  for (const std::string& name : programsIn(folder))
    if (std::find(known.begin(), known.end(), name) == known.end())
      out.wrong.push_back(name + " does not belong to what is handed over here");
  out.ready = out.wrong.empty() && j.contains("released") && j["released"] == true;
  return out;
}

} // namespace hemline
