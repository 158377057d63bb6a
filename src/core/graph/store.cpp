#include "graph/store.h"
#include "base/build_key.h"
#include "base/error.h"
#include "base/file_lock.h"
#include <algorithm>
#include <array>
#include <atomic>
#include <condition_variable>
#include <cstring>
#include <deque>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <mutex>
#include <sys/stat.h>
#include <thread>
#include <unistd.h>
#include <vector>
#include <zstd.h>

namespace hemline {
namespace fs = std::filesystem;
namespace {

constexpr int kCompression = 1;
constexpr std::size_t kLookAgain = std::size_t{256} << 20; // bytes written after which the folder is looked at again: others write, too
constexpr std::size_t kWaiting = std::size_t{64};          // results that may wait to be written
constexpr double kRoom = 0.9;                              // of the limit that is left in use when room is made

struct Head {
  std::array<char, 8> what{'H', 'e', 'm', 'l', 'i', 'n', 'e', '1'};
  std::uint64_t size = 0; ///< of the bytes, not packed
  Key result;
  Key hash; ///< of name, result, size and packed bytes
};

Key hashOf(const std::string& name, const Head& head, const char* packed, std::size_t size) {
  return combine(std::array{hashText(name), head.result, Key{0, head.size}, hashBytes(packed, size)});
}

class OpenFile {
public:
  OpenFile(const std::string& path, int flags) : fd_(::open(path.c_str(), flags | O_CLOEXEC, 0600)) {}
  ~OpenFile() {
    if (fd_ >= 0) ::close(fd_);
  }
  OpenFile(const OpenFile&) = delete;
  OpenFile& operator=(const OpenFile&) = delete;
  int fd() const { return fd_; }

private:
  int fd_;
};

bool readAll(int fd, char* to, std::size_t size) {
  while (size > 0) {
    const ssize_t n = ::read(fd, to, size);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    to += n, size -= static_cast<std::size_t>(n);
  }
  return true;
}
bool writeAll(int fd, const char* from, std::size_t size) {
  while (size > 0) {
    const ssize_t n = ::write(fd, from, size);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    from += n, size -= static_cast<std::size_t>(n);
  }
  return true;
}

constexpr const char* kPart = ".part";

struct FileThere {
  std::string path;
  std::size_t size;
  std::int64_t used; // ns
  bool whole;        // not one that is being written
};
std::vector<FileThere> filesIn(const std::string& folder) {
  std::vector<FileThere> out;
  std::error_code ec;
  for (fs::recursive_directory_iterator it(folder, ec), end; !ec && it != end; it.increment(ec)) {
    struct stat s {};
    const std::string path = it->path().string();
    // Only what a store writes: 30 digits in a folder of two, and what is written aside there.
    const std::string name = it->path().filename().string();
    if (it.depth() != 1 || name.size() < 30 || ::lstat(path.c_str(), &s) != 0 || !S_ISREG(s.st_mode)) continue;
    out.push_back({path, static_cast<std::size_t>(s.st_size), s.st_mtim.tv_sec * std::int64_t{1000000000} + s.st_mtim.tv_nsec,
                   !name.ends_with(kPart)});
  }
  return out;
}

} // namespace

/// Results that wait to be written, and who writes them.
struct Store::Writing {
  struct Waits {
    Key key, result;
    std::function<std::string()> make;
  };
  std::mutex mutex;
  std::condition_variable more, less;
  std::deque<Waits> waiting;
  bool busy = false, end = false;
  std::thread thread;
};

Store::Store(std::string folder, const Key& build, std::size_t limit)
    : folder_(std::move(folder)), build_(build), limit_(limit), writing_(std::make_unique<Writing>()) {
  std::error_code ec;
  fs::create_directories(folder_, ec);
  if (ec || ::access(folder_.c_str(), R_OK | W_OK | X_OK) != 0)
    throw Error(Fault::File, "The folder of results cannot be used", folder_, "Check its permissions, or go without it (--no-cache).");
  fs::permissions(folder_, fs::perms::owner_all, ec);
  writing_->thread = std::thread([this] {
    Writing& w = *writing_;
    std::unique_lock lock(w.mutex);
    for (;;) {
      w.more.wait(lock, [&] { return w.end || !w.waiting.empty(); });
      if (w.waiting.empty()) return;
      const Writing::Waits next = std::move(w.waiting.front());
      w.waiting.pop_front();
      w.busy = true;
      lock.unlock();
      try {
        write(next.key, next.result, next.make());
      } catch (...) { // too large for the memory, or what a library could not write: it is computed again, then
      }
      lock.lock();
      w.busy = false;
      w.less.notify_all();
    }
  });
}

Store::~Store() {
  {
    const std::lock_guard lock(writing_->mutex);
    writing_->end = true;
  }
  writing_->more.notify_all();
  writing_->thread.join();
}

std::string Store::folderOfUser() {
  const char* cache = std::getenv("XDG_CACHE_HOME"); // paths that are not absolute are to be ignored
  if (cache && cache[0] == '/') return std::string(cache) + "/hemline/results";
  const char* home = std::getenv("HOME");
  return home && home[0] == '/' ? std::string(home) + "/.cache/hemline/results" : "";
}

std::shared_ptr<Store> Store::ofUser() {
  const std::string folder = folderOfUser();
  const auto build = buildKey();
  if (folder.empty() || !build) return nullptr;
  try {
    return std::make_shared<Store>(folder, *build);
  } catch (const Error&) {
    return nullptr;
  }
}

std::string Store::pathOf(const Key& key) const {
  const std::string name = combine(std::array{build_, key}).text();
  return folder_ + "/" + name.substr(0, 2) + "/" + name.substr(2);
}

std::optional<Store::Found> Store::find(const Key& key) {
  const std::string path = pathOf(key);
  const OpenFile file(path, O_RDONLY);
  struct stat s {};
  if (file.fd() < 0 || ::fstat(file.fd(), &s) != 0) return {};
  const auto size = static_cast<std::size_t>(s.st_size);
  Head head;
  std::string packed, bytes;
  const bool whole = [&] {
    if (size < sizeof head || !readAll(file.fd(), reinterpret_cast<char*>(&head), sizeof head) || head.what != Head().what) return false;
    packed.resize(size - sizeof head);
    if (!readAll(file.fd(), packed.data(), packed.size())) return false;
    if (hashOf(path.substr(folder_.size()), head, packed.data(), packed.size()) != head.hash) return false;
    bytes.resize(head.size);
    return ZSTD_decompress(bytes.data(), bytes.size(), packed.data(), packed.size()) == head.size;
  }();
  if (!whole) {
    damaged(key);
    return {};
  }
  ::futimens(file.fd(), nullptr); // used now
  return Found{head.result, std::move(bytes)};
}

void Store::damaged(const Key& key) {
  ::unlink(pathOf(key).c_str());
  ++damaged_;
}

void Store::put(const Key& key, const Key& result, std::function<std::string()> make) {
  Writing& w = *writing_;
  std::unique_lock lock(w.mutex);
  w.less.wait(lock, [&] { return w.waiting.size() < kWaiting; });
  w.waiting.push_back({key, result, std::move(make)});
  w.more.notify_one();
}

void Store::flush() {
  Writing& w = *writing_;
  std::unique_lock lock(w.mutex);
  w.less.wait(lock, [&] { return w.waiting.empty() && !w.busy; });
}

void Store::write(const Key& key, const Key& result, const std::string& bytes) {
  static std::atomic<unsigned> number{0};
  const std::string path = pathOf(key), aside = fmt::format("{}.{}.{}{}", path, ::getpid(), ++number, kPart);
  Head head;
  head.size = bytes.size(), head.result = result;
  std::string packed(ZSTD_compressBound(bytes.size()), '\0');
  const std::size_t size = ZSTD_compress(packed.data(), packed.size(), bytes.data(), bytes.size(), kCompression);
  if (ZSTD_isError(size)) return;
  head.hash = hashOf(path.substr(folder_.size()), head, packed.data(), size);
  if (sizeof head + size > limit_) return;
  std::error_code ec;
  fs::create_directories(fs::path(path).parent_path(), ec);
  bool done = false;
  {
    const OpenFile file(aside, O_WRONLY | O_CREAT | O_TRUNC);
    done = file.fd() >= 0 && writeAll(file.fd(), reinterpret_cast<const char*>(&head), sizeof head) &&
           writeAll(file.fd(), packed.data(), size);
  }
  if (!done || ::rename(aside.c_str(), path.c_str()) != 0) {
    ::unlink(aside.c_str());
    return;
  }
  const std::size_t before = size_;
  size_ += sizeof head + size;
  if (!looked_ || size_ > limit_ || before / kLookAgain != size_ / kLookAgain) makeRoom();
}

void Store::makeRoom() {
  FileLock lock;
  std::string owner;
  if (!lock.take(folder_ + "/room", owner)) return; // somebody makes room already
  looked_ = true;
  std::vector<FileThere> files = filesIn(folder_);
  std::sort(files.begin(), files.end(), [](const FileThere& a, const FileThere& b) { return a.used < b.used; });
  size_ = 0;
  for (const FileThere& f : files) size_ += f.size;
  timespec now{};
  ::clock_gettime(CLOCK_REALTIME, &now);
  constexpr std::int64_t kHour = std::int64_t{3600} * 1000000000;
  const bool full = size_ > limit_;
  for (const FileThere& f : files) {
    const bool left = !f.whole && f.used < (now.tv_sec * std::int64_t{1000000000} - kHour); // by a process that was killed
    if (!left && !(full && f.whole && static_cast<double>(size_) > kRoom * static_cast<double>(limit_))) continue;
    if (::unlink(f.path.c_str()) == 0) size_ -= f.size;
  }
}

Store::Inside Store::inside(const std::string& folder) {
  Inside out;
  for (const FileThere& f : filesIn(folder)) out.entries += f.whole, out.bytes += f.size;
  return out;
}

std::string damagedText(std::size_t results) {
  if (results == 1) return "One result on disk was damaged. It was removed and computed again.";
  return fmt::format("{} results on disk were damaged. They were removed and computed again.", results);
}

Store::Inside Store::clear(const std::string& folder) {
  Inside out;
  for (const FileThere& f : filesIn(folder))
    if (::unlink(f.path.c_str()) == 0) out.entries += f.whole, out.bytes += f.size;
  return out;
}

} // namespace hemline
