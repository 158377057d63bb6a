// The command that shows and clears the results on disk, and the option to go without them.
#pragma once
#include "graph/store.h"
#include <CLI/CLI.hpp>

namespace hemline {

class CacheCommand {
public:
  explicit CacheCommand(CLI::App& app);
  /// Gives `command` the option to go without.
  void offer(CLI::App& command);
  /// The exit code, if the command was asked for.
  std::optional<int> run() const;
  /// The user's store; null where there is none, or none is wanted.
  std::shared_ptr<Store> store() const { return without_ ? nullptr : Store::ofUser(); }

private:
  CLI::App* command_;
  bool clear_ = false, without_ = false;
};

} // namespace hemline
