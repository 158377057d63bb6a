// The file of the open job: who has it in hand, what was last read or written there, and the copies that ended windows left of it.
#pragma once
#include "base/file_lock.h"
#include "base/hash.h"
#include "model/job.h"
#include <QString>
#include <vector>

namespace hemline::app {

/// Edits that a window had when it ended without saving.
struct LeftCopy {
  QString file;
  QString when, what; ///< when it was last written; what differs from the job on disk
  Job job;
};

class JobFile {
public:
  bool isOpen() const { return !path_.isEmpty(); }
  const QString& path() const { return path_; }
  /// No job is open any more; it is nobody's to write then.
  void close();
  /// Reads the job, takes it in hand if nobody has it, and then looks for left copies. Throws Error; nothing has changed then.
  Job open(const QString& path);
  /// Who has it in hand; empty: this one. What is in another's hand is never written.
  const QString& owner() const { return owner_; }
  /// Is the file other than it was when it was last read or written here?
  bool changedOnDisk() const;
  /// Throws Error: in another's hand; changed on disk, unless `overwrite`; not written. The own copy goes.
  void save(const Job& job, bool overwrite = false);
  /// The job at another place from now on, files that it names included. Throws Error as save() does; nothing has changed then.
  Job saveAs(const QString& path, const Job& job);

  /// The copy of edits that are not saved: written (Error) and removed. In another's hand: nothing.
  void keepCopy(const Job& job);
  void dropCopy();
  /// Copies that others left, the newest first. They stay until they are dropped, whatever is edited or saved meanwhile.
  const std::vector<LeftCopy>& left() const { return left_; }
  void dropLeft();
  /// A copy that was left but cannot be read: kept, and told.
  const QString& damaged() const { return damaged_; }

private:
  QString copyPath() const;
  void findLeft(const Job& job);
  QString path_, owner_, damaged_;
  FileLock lock_;
  Key known_;
  std::vector<LeftCopy> left_;
};

} // namespace hemline::app
