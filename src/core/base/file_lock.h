// Which process has a file in hand.
#pragma once
#include <string>

namespace hemline {

/// A small file `.NAME.lock` beside a file, locked by the kernel (flock), which lets go when the process ends, however it ends. Two locks
/// of one process exclude each other, too. Names of one file through links are one file.
class FileLock {
public:
  FileLock() = default;
  ~FileLock() { release(); }
  FileLock(FileLock&& other) noexcept { swap(other); }
  FileLock& operator=(FileLock&& other) noexcept {
    FileLock taken(std::move(other));
    swap(taken);
    return *this;
  }

  /// Takes the file in hand and lets go of the one before. False: another has it, `owner` says who ("process 812 of berta on mill-pc,
  /// since 3 May 14:02"), and nothing has changed. Where the folder cannot be written nothing is locked, and true is the answer: nobody
  /// can change the file there.
  bool take(const std::string& path, std::string& owner);
  void release();
  bool held() const { return file_ >= 0; }

private:
  void swap(FileLock& other) noexcept { std::swap(file_, other.file_), std::swap(path_, other.path_); }
  int file_ = -1;
  std::string path_;
};

} // namespace hemline
