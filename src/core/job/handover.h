// The folder that is handed over: programs, set-up sheet, report, and release.json, which says what the folder is.
//
// Whatever happens on the way, even a kill, the folder tells what it is: release.json is set to "being written" first and to the outcome
// last, with the hash of every file; programs are put in place after the papers that belong to them; programs of an earlier run that could
// be taken for these are moved aside. Only what release.json lists, with the same hashes, is handed over (checkFolder).
#pragma once
#include "job/release.h"

namespace hemline {

constexpr const char* kManifest = "release.json";

class OutputFolder {
public:
  /// Makes the folder and tries whether it can be written, before anything is computed; notes in release.json that a run is on its way.
  /// Throws Error.
  OutputFolder(const std::string& folder, const std::string& jobPath);
  /// Nothing was handed over: programs that lie there are moved aside, and release.json says so.
  ~OutputFolder();
  OutputFolder(const OutputFolder&) = delete;
  OutputFolder& operator=(const OutputFolder&) = delete;

  /// Files besides the programs, kept until `finish`.
  void put(const std::string& name, std::string bytes);
  /// Writes everything, programs last. `heldAnyway`: programs that are held are written marked, unless they never may be.
  /// Returns the names of the programs written. Throws Error; the folder then says that it is not handed over.
  std::vector<std::string> finish(const Release& release, const JobResult& result, bool heldAnyway);
  /// Of a measurement, which gives no programs out: writes what was put and `state`. Throws Error.
  void finish(const std::string& state, const std::vector<std::string>& heldBy);
  /// Names of the other files.
  std::vector<std::string> papers() const;
  /// Files of earlier runs that were moved aside, as they are named now, relative to the folder.
  const std::vector<std::string>& movedAside() const { return moved_; }

private:
  void state(const std::string& state, const nlohmann::json& more);
  void moveAside(const std::vector<std::string>& except);
  nlohmann::json writePapers(const std::vector<std::string>& programs);
  std::string folder_, job_, began_;
  std::vector<std::pair<std::string, std::string>> files_;
  std::vector<std::string> moved_;
  bool finished_ = false;
};

/// What a folder is, in one line, and what is wrong with it. `ready`: everything that release.json lists is there as it was written, no
/// other program lies beside it, and it was released.
struct FolderState {
  bool ready = false;
  std::string state;
  std::vector<std::string> wrong;
};
FolderState checkFolder(const std::string& folder);

} // namespace hemline
