// The job for one command alone, while it is written anew.
#pragma once
#include "base/error.h"
#include "base/file_lock.h"

namespace hemline {

/// Throws Error where somebody else has it.
inline FileLock inHand(const std::string& jobPath) {
  FileLock lock;
  if (std::string owner; !lock.take(jobPath, owner))
    throw Error(Fault::InUse, "The job is in another's hand: " + owner, jobPath, "Let them close it first.");
  return lock;
}

} // namespace hemline
