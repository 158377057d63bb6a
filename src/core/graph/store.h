// Results on disk that outlive the process: one file each, named by the key of what it was made from.
//
// Several processes share a folder: files are written aside and renamed, so that one is there whole or not at all, and everybody makes room
// under a lock. Each file carries a hash of all of it, name included, that is checked when it is read.
#pragma once
#include "base/hash.h"
#include <atomic>
#include <functional>
#include <memory>
#include <optional>

namespace hemline {

class Store {
public:
  static constexpr std::size_t kLimit = std::size_t{4} << 30; // bytes
  /// A folder, made where it is not there. Files are only found again under the same `build`. Throws Error where it cannot be made.
  Store(std::string folder, const Key& build, std::size_t limit = kLimit);
  ~Store();
  Store(const Store&) = delete;
  Store& operator=(const Store&) = delete;

  /// The user's: `hemline/results` in XDG_CACHE_HOME or ~/.cache (XDG Base Directory Specification 0.8), for this build of the core. Null
  /// where there can be none.
  static std::shared_ptr<Store> ofUser();
  /// Where that is; empty: nowhere.
  static std::string folderOfUser();

  struct Found {
    Key result;        ///< as it was put
    std::string bytes; ///< as they were put
  };
  /// What was put under this key. Nothing where nothing is, or where it is not whole: then it is removed, and counted as damaged.
  std::optional<Found> find(const Key& key);
  /// Counts as damaged what was found and does not read.
  void damaged(const Key& key);
  /// Keeps `make()` under this key; made and written aside, in the order put. What cannot be written (no space) is not kept.
  void put(const Key& key, const Key& result, std::function<std::string()> make);
  /// Waits until all that was put is written.
  void flush();

  std::size_t damaged() const { return damaged_; }

  struct Inside {
    std::size_t entries = 0, bytes = 0;
  };
  static Inside inside(const std::string& folder);
  /// Removes all results in the folder, of all builds, and says what was there. Others that use it go on without.
  static Inside clear(const std::string& folder);

private:
  std::string pathOf(const Key& key) const;
  void write(const Key& key, const Key& result, const std::string& bytes);
  void makeRoom();

  std::string folder_;
  Key build_;
  std::size_t limit_;
  std::atomic<std::size_t> damaged_{0};
  std::size_t size_ = 0; ///< bytes in the folder when it was last looked at, and what was written since
  bool looked_ = false;
  struct Writing;
  std::unique_ptr<Writing> writing_;
};

/// "2 results on disk were damaged. ..."
std::string damagedText(std::size_t results);

} // namespace hemline
