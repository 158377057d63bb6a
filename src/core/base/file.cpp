#include "base/file.h"
#include "base/error.h"
#include <cerrno>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <unistd.h>

namespace hemline {

std::string readFile(const std::string& path) {
  std::error_code ec;
  if (!std::filesystem::is_regular_file(path, ec))
    throw Error(Fault::File, "There is no such file", path, "Check the name and the folder.");
  std::ifstream in(path, std::ios::binary);
  const auto size = std::filesystem::file_size(path, ec);
  std::string bytes(ec ? 0 : static_cast<std::size_t>(size), '\0');
  if (!in || !in.read(bytes.data(), static_cast<std::streamsize>(bytes.size())))
    throw Error(Fault::File, "The file cannot be read", path, "Check its permissions.");
  return bytes;
}

namespace {
/// What processes that were killed while writing this file left aside.
void removeLeftovers(const std::string& path) {
  namespace fs = std::filesystem;
  const fs::path file(path), folder = file.has_parent_path() ? file.parent_path() : fs::path(".");
  const std::string start = file.filename().string() + ".", end = ".part";
  std::error_code ec;
  for (fs::directory_iterator it(folder, ec), last; !ec && it != last; it.increment(ec)) {
    const std::string name = it->path().filename().string();
    if (!name.starts_with(start) || !name.ends_with(end) || name.size() <= start.size() + end.size()) continue;
    const std::string owner = name.substr(start.size(), name.size() - start.size() - end.size());
    if (owner.find_first_not_of("0123456789") != std::string::npos || owner.size() > 9) continue;
    if (::kill(static_cast<pid_t>(std::stol(owner)), 0) != 0 && errno == ESRCH) ::unlink(it->path().c_str());
  }
}
} // namespace

void writeFileSafely(const std::string& path, const std::string& bytes) {
  const std::string aside = fmt::format("{}.{}.part", path, ::getpid()); // no other process writes it
  removeLeftovers(path);
  const auto fail = [&](const char* what) {
    const int code = errno;
    ::unlink(aside.c_str());
    throw Error(Fault::File, std::string("Saving failed: ") + what + ": " + std::strerror(code), path,
                "The old file is unchanged. Free some space or choose another folder and save again.");
  };
  const int fd = ::open(aside.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
  if (fd < 0) fail("cannot create the file");
  std::size_t done = 0;
  while (done < bytes.size()) {
    const ssize_t n = ::write(fd, bytes.data() + done, bytes.size() - done);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) {
      const int code = errno;
      ::close(fd);
      errno = code;
      fail("cannot write");
    }
    done += static_cast<std::size_t>(n);
  }
  if (::fsync(fd) != 0) {
    const int code = errno;
    ::close(fd);
    errno = code;
    fail("cannot flush");
  }
  if (::close(fd) != 0) fail("cannot close");
  if (::rename(aside.c_str(), path.c_str()) != 0) fail("cannot replace");
  const std::string folder = std::filesystem::path(path).parent_path().string();
  const int dir = ::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (dir >= 0) {
    ::fsync(dir);
    ::close(dir);
  }
}

} // namespace hemline
