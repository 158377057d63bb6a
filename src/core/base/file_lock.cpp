#include "base/file_lock.h"
#include "base/safe_name.h"
#include <array>
#include <ctime>
#include <fcntl.h>
#include <filesystem>
#include <fmt/chrono.h>
#include <fmt/format.h>
#include <pwd.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

namespace hemline {
namespace {

std::string ownName() {
  std::array<char, 256> host{};
  gethostname(host.data(), host.size() - 1);
  const passwd* user = getpwuid(getuid());
  const std::time_t now = std::time(nullptr);
  return fmt::format("process {} of {} on {}, since {:%e %B %H:%M}", getpid(), user ? user->pw_name : std::to_string(getuid()), host.data(),
                     fmt::localtime(now));
}

} // namespace

bool FileLock::take(const std::string& path, std::string& owner) {
  namespace fs = std::filesystem;
  std::error_code ec;
  const fs::path file = fs::weakly_canonical(fs::absolute(path), ec);
  const std::string name = (file.parent_path() / ("." + file.filename().string() + ".lock")).string();
  if (held() && name == path_) return true;
  for (int tries = 0; tries < 100; ++tries) {
    const int fd = open(name.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
    if (fd < 0) return release(), true;
    if (flock(fd, LOCK_EX | LOCK_NB) != 0) {
      const bool other = errno == EWOULDBLOCK;
      std::array<char, 400> text{};
      const ssize_t n = other ? pread(fd, text.data(), text.size(), 0) : 0;
      close(fd);
      if (!other) return release(), true; // this file system knows no locks
      owner = n > 0 ? oneLine(std::string(text.data(), static_cast<std::size_t>(n))) : "another process";
      return false;
    }
    // The one before may have removed the file between.
    struct stat ours {
    }, there{};
    if (fstat(fd, &ours) != 0 || stat(name.c_str(), &there) != 0 || ours.st_ino != there.st_ino || ours.st_dev != there.st_dev) {
      close(fd);
      continue;
    }
    release();
    file_ = fd, path_ = name;
    const std::string self = ownName();
    if (ftruncate(fd, 0) == 0 && pwrite(fd, self.data(), self.size(), 0) < 0) return true; // locked all the same, without a name
    return true;
  }
  owner = "another process";
  return false;
}

void FileLock::release() {
  if (!held()) return;
  unlink(path_.c_str()); // while it is held: nobody else's is removed
  close(file_);
  file_ = -1, path_.clear();
}

} // namespace hemline
