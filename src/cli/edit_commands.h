// Commands that show and change the steps of a job: add, set, remove, move, show, kinds.
#pragma once
#include <CLI/CLI.hpp>
#include <memory>
#include <optional>

namespace hemline {

class EditCommands {
public:
  explicit EditCommands(CLI::App& app);
  ~EditCommands();
  /// The exit code, if one of them was asked for. Throws Error; the job file is then as it was.
  std::optional<int> run();

private:
  struct Said;
  std::unique_ptr<Said> said_;
};

} // namespace hemline
