#include "cache_command.h"
#include "base/error.h"
#include <cstdio>
#include <fmt/format.h>

namespace hemline {

CacheCommand::CacheCommand(CLI::App& app) {
  command_ = app.add_subcommand("cache", "Show the results that are remembered on disk, for window and command line alike, or clear them");
  command_->add_flag("--clear", clear_, "remove them all; they are computed again when they are asked for");
}

void CacheCommand::offer(CLI::App& command) {
  command.add_flag("--no-cache", without_, "compute everything anew; nothing is read from the results on disk, or kept there");
}

std::optional<int> CacheCommand::run() const {
  if (!command_->parsed()) return std::nullopt;
  const std::string folder = Store::folderOfUser();
  if (folder.empty()) throw Error(Fault::File, "There is no folder for results", "XDG_CACHE_HOME, HOME", "Set one of them to a full path.");
  const Store::Inside inside = clear_ ? Store::clear(folder) : Store::inside(folder);
  std::printf("%s%zu results, %.1f MB of at most %.0f MB, in %s\n", clear_ ? "removed: " : "", inside.entries,
              static_cast<double>(inside.bytes) / 1e6, static_cast<double>(Store::kLimit) / 1e6, folder.c_str());
  return 0;
}

} // namespace hemline
