#include "part/apart.h"
#include "base/file.h"
#include <BRep_Builder.hxx>
#include <BinTools.hxx>
#include <Standard_Failure.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <new>
#include <poll.h>
#include <spawn.h>
#include <sstream>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#include <utility>

extern char** environ;

namespace hemline {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kMemory = std::size_t{6} << 30; // bytes that the reader may have
constexpr std::size_t kMostSent = std::size_t{5} << 30;
constexpr double kReading = 30, kReadingMore = 16; // s of processor time to read a file and lay its first tessellation, and more of it a MB
constexpr double kTessellating = 600;              // s to split that tessellation to the chord that was asked for
constexpr int kPatience = 50;                      // ms between looks at whether it was cancelled

// What is sent: one letter and its length, then so many bytes.
enum : char { kProgress = 'P', kError = 'E', kResult = 'R' };

/// Numbers, texts and lists, one after the other.
class Packer {
public:
  template <class T> void put(const T& v) {
    static_assert(std::is_trivially_copyable_v<T>);
    bytes.append(reinterpret_cast<const char*>(&v), sizeof(T));
  }
  void put(const std::string& s) {
    put(s.size());
    bytes += s;
  }
  template <class T> void list(const std::vector<T>& v) { // of plain numbers
    put(v.size());
    bytes.append(reinterpret_cast<const char*>(v.data()), v.size() * sizeof(T));
  }
  std::string bytes;
};

class Unpacker {
public:
  Unpacker(std::string_view bytes, const std::string& path) : bytes_(bytes), path_(path) {}
  template <class T> T get() {
    T v;
    std::memcpy(&v, take(sizeof(T)), sizeof(T));
    return v;
  }
  std::string text() {
    const auto n = get<std::size_t>();
    return {take(n), n};
  }
  template <class T> std::vector<T> list() {
    const auto n = get<std::size_t>();
    if (n > bytes_.size() / sizeof(T)) torn();
    std::vector<T> out(n);
    if (n > 0) std::memcpy(static_cast<void*>(out.data()), take(n * sizeof(T)), n * sizeof(T));
    return out;
  }
  [[noreturn]] void torn() const {
    throw Error(Fault::Damaged, "What the reader of models sent is torn", path_, "Export the model again.");
  }

private:
  const char* take(std::size_t n) {
    if (n > bytes_.size()) torn();
    const char* at = bytes_.data();
    bytes_.remove_prefix(n);
    return at;
  }
  std::string_view bytes_;
  const std::string& path_;
};

// ---- the process that reads

void send(int to, char what, const std::string& bytes) {
  const std::size_t size = bytes.size();
  std::string head(1, what);
  head.append(reinterpret_cast<const char*>(&size), sizeof size);
  for (const std::string* part : {static_cast<const std::string*>(&head), &bytes})
    for (std::size_t done = 0; done < part->size();) {
      const ssize_t n = write(to, part->data() + done, part->size() - done);
      if (n <= 0) _exit(4); // nobody listens any more
      done += static_cast<std::size_t>(n);
    }
}

/// Processor time from now on after which the process is ended.
void allow(double seconds) {
  rusage used{};
  getrusage(RUSAGE_SELF, &used);
  const auto sum = static_cast<double>(used.ru_utime.tv_sec + used.ru_stime.tv_sec) + 1 + seconds;
  rlimit limit{};
  getrlimit(RLIMIT_CPU, &limit);
  limit.rlim_cur = static_cast<rlim_t>(sum);
  setrlimit(RLIMIT_CPU, &limit);
}

/// Each list is freed when it is packed: there may be gigabytes of them.
std::string packed(CadTriangles c) {
  Packer p;
  const auto away = [&](auto& list) {
    p.list(list);
    std::exchange(list, {}).shrink_to_fit();
  };
  p.bytes.reserve(c.face.size() * (6 * sizeof(Vec3) + 3 * sizeof(Vec2) + sizeof(int)) + (std::size_t{1} << 20));
  away(c.soup), away(c.normals), away(c.uv), away(c.face);
  p.put(c.facetError);
  p.put(c.faces.size());
  for (const Patch& f : c.faces) p.put(f.name), p.put(f.area), p.put(f.shape);
  TopoDS_Compound all;
  BRep_Builder build;
  build.MakeCompound(all);
  for (std::size_t f = 0; f < c.faces.size(); ++f) build.Add(all, c.surface->face(static_cast<int>(f)));
  std::ostringstream shape;
  BinTools::Write(all, shape, false, false, BinTools_FormatVersion_CURRENT);
  p.put(shape.str());
  return std::move(p.bytes);
}

// ---- the process that asks

/// The program beside this one, or one folder up (tests).
std::string readerProgram() {
  const fs::path self = fs::read_symlink("/proc/self/exe");
  for (const fs::path& folder : {self.parent_path(), self.parent_path().parent_path()})
    if (const fs::path p = folder / "hemline-reader"; access(p.c_str(), X_OK) == 0) return p.string();
  throw Error(Fault::System, "The reader of models is missing (hemline-reader)", self.parent_path().string(), "Install Hemline again.");
}

/// A process that sends; it never outlives this.
class Reader {
public:
  Reader(std::vector<std::string> words) {
    int ends[2];
    if (pipe2(ends, O_CLOEXEC) != 0) throw Error(Fault::System, "No pipe can be made", std::strerror(errno), "Close other programs.");
    from_ = ends[0];
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, ends[1], 1);
    posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0); // libraries talk
    std::vector<char*> argv;
    for (std::string& w : words) argv.push_back(w.data());
    argv.push_back(nullptr);
    const int failed = posix_spawn(&child_, argv[0], &actions, nullptr, argv.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    close(ends[1]);
    if (failed == 0) return;
    close(from_);
    throw Error(Fault::System, "The reader of models cannot be started", words[0] + ": " + std::strerror(failed), "Install Hemline again.");
  }
  ~Reader() {
    close(from_);
    if (child_ > 0) {
      kill(child_, SIGKILL);
      finish();
    }
  }
  Reader(const Reader&) = delete;
  Reader& operator=(const Reader&) = delete;

  /// So many bytes, or as many as there are until it ends.
  std::string take(std::size_t bytes, const Progress& progress) {
    std::string out;
    while (out.size() < bytes) {
      progress.check();
      pollfd look{from_, POLLIN, 0};
      if (poll(&look, 1, kPatience) <= 0) continue;
      const std::size_t had = out.size(), more = std::min(bytes - had, std::size_t{1} << 20);
      out.resize(had + more);
      const ssize_t n = read(from_, out.data() + had, more);
      out.resize(had + static_cast<std::size_t>(std::max<ssize_t>(n, 0)));
      if (n == 0 || (n < 0 && errno != EINTR && errno != EAGAIN)) break;
    }
    return out;
  }

  /// Waits for its end; what waitpid tells.
  int finish() {
    int state = 0;
    while (waitpid(child_, &state, 0) < 0 && errno == EINTR) {
    }
    child_ = 0;
    return state;
  }

private:
  pid_t child_ = 0;
  int from_ = -1;
};

/// What the reader sends in the end. Throws its Error, or one that says how it fell.
std::string ask(const std::string& path, const std::string& kind, const ReadOptions& options, Progress& progress) {
  const double reading = kReading + kReadingMore * static_cast<double>(fs::file_size(path)) / (1 << 20);
  Reader reader({readerProgram(), kind, path, fmt::format("{:.17g}", options.chord),
                 !options.unit                       ? "any"
                 : *options.unit == LengthUnit::Inch ? "inch"
                                                     : "mm",
                 fmt::format("{:.0f}", reading), std::to_string(options.most)});
  bool laying = false; // read, and its tessellation is being split
  for (;;) {
    constexpr std::size_t kHead = 1 + sizeof(std::size_t);
    const std::string head = reader.take(kHead, progress);
    if (head.size() < kHead) break;
    std::size_t size = 0;
    std::memcpy(&size, head.data() + 1, sizeof size);
    if (size > kMostSent) break;
    std::string bytes = reader.take(size, progress);
    if (bytes.size() < size) break;
    Unpacker in(bytes, path);
    if (head[0] == kResult) return bytes;
    laying = laying || head[0] == kProgress;
    if (head[0] == kProgress) progress.report(in.get<double>(), "laying facets");
    if (head[0] == kError) {
      const int fault = in.get<int>();
      const std::string happened = in.text(), place = in.text();
      throw Error(fault >= 0 && fault <= int(Fault::Cannot) ? Fault(fault) : Fault::Damaged, happened, place, in.text());
    }
  }
  const int state = reader.finish();
  const int signal = WIFSIGNALED(state) ? WTERMSIG(state) : 0;
  const std::string mend =
      std::string("The file is damaged or very complicated: export the model again") + (kind == "facets" ? "." : ", or as STL.");
  if (signal == SIGXCPU)
    throw Error(Fault::System,
                fmt::format("The model cannot be {} within {:.0f} s of processor time", laying ? "laid out in facets" : "read",
                            laying ? kTessellating : reading),
                path, mend);
  throw Error(Fault::System,
              fmt::format("The library that reads such models fell over this one ({})",
                          signal > 0 ? strsignal(signal) : fmt::format("exit code {}", WEXITSTATUS(state)).c_str()),
              path, mend);
}

} // namespace

int readerMain(int argc, char** argv) {
  if (argc != 7) {
    std::fputs("hemline-reader is started by Hemline to read a model; it is of no use by itself.\n", stderr);
    return 2;
  }
  // What libraries print must not come between.
  const int to = dup(1);
  dup2(2, 1);
  prctl(PR_SET_PDEATHSIG, SIGKILL);
  const rlimit memory{kMemory, kMemory}, none{0, 0};
  setrlimit(RLIMIT_AS, &memory);
  setrlimit(RLIMIT_CORE, &none);
  setrlimit(RLIMIT_FSIZE, &none); // it writes nothing but what it sends
  const std::string kind = argv[1], path = argv[2];
  const auto fails = [&](Fault fault, const std::string& happened, const std::string& place, const std::string& remedy) {
    Packer p;
    p.put(static_cast<int>(fault)), p.put(happened), p.put(place), p.put(remedy);
    send(to, kError, p.bytes);
    return 1;
  };
  try {
    allow(std::atof(argv[5]));
    Packer result;
    if (kind == "3mf") {
      const Told3mf read = read3mf(path, readFile(path));
      result.list(read.soup), result.put(read.unit), result.put(read.scale);
    } else if (kind == "facets") {
      result.list(readFacets(path, readFile(path)));
    } else {
      const std::string unit = argv[4];
      ReadOptions options;
      if (unit != "any") options.unit = unit == "inch" ? LengthUnit::Inch : LengthUnit::Millimetre;
      options.chord = std::atof(argv[3]), options.most = static_cast<std::size_t>(std::atoll(argv[6]));
      Progress progress([&](double done, const std::string&) {
        Packer p;
        p.put(done);
        send(to, kProgress, p.bytes);
      });
      result.bytes = packed(readCad(
          path, kind == "iges", options, [] { allow(kTessellating); }, progress));
    }
    send(to, kResult, result.bytes);
    return 0;
  } catch (const Error& e) {
    return fails(e.fault, e.happened, e.place, e.remedy);
  } catch (const std::bad_alloc&) {
    return fails(Fault::System, fmt::format("The model needs more than {} GB of memory", kMemory >> 30), path,
                 "Ask for a coarser chord, or take a smaller part.");
  } catch (const std::exception& e) {
    return fails(Fault::Damaged, std::string("The model cannot be read: ") + e.what(), path, "Export the model again.");
  }
}

CadTriangles readCadApart(const std::string& path, bool iges, const ReadOptions& options, Progress& progress) {
  const std::string sent = ask(path, iges ? "iges" : "step", options, progress);
  Unpacker in(sent, path);
  CadTriangles out;
  out.soup = in.list<Vec3>(), out.normals = in.list<Vec3>(), out.uv = in.list<Vec2>(), out.face = in.list<int>();
  out.facetError = in.get<double>();
  out.faces.resize(std::min<std::size_t>(in.get<std::size_t>(), 10'000'000));
  for (Patch& f : out.faces) f.name = in.text(), f.area = in.get<double>(), f.shape = in.text();
  const std::size_t n = out.face.size();
  if (out.soup.size() != 3 * n || out.normals.size() != 3 * n || out.uv.size() != 3 * n) in.torn();
  for (const int f : out.face)
    if (f < 0 || static_cast<std::size_t>(f) >= out.faces.size()) in.torn();
  try {
    std::istringstream bytes(in.text());
    TopoDS_Shape shape;
    BinTools::Read(shape, bytes);
    auto surface = std::make_shared<ExactSurface>();
    for (TopExp_Explorer it(shape, TopAbs_FACE); it.More(); it.Next()) surface->add(TopoDS::Face(it.Current()));
    if (surface->count() != out.faces.size()) in.torn();
    out.surface = std::move(surface);
  } catch (const Standard_Failure& e) {
    throw Error(Fault::Damaged, std::string("The CAD file cannot be used: ") + e.GetMessageString(), path, "Export the model again.");
  }
  return out;
}

std::vector<Vec3> readFacetsApart(const std::string& path, Progress& progress) {
  const std::string sent = ask(path, "facets", {}, progress);
  return Unpacker(sent, path).list<Vec3>();
}

Told3mf read3mfApart(const std::string& path, Progress& progress) {
  const std::string sent = ask(path, "3mf", {}, progress);
  Unpacker in(sent, path);
  Told3mf out;
  out.soup = in.list<Vec3>(), out.unit = in.text(), out.scale = in.get<double>();
  return out;
}

} // namespace hemline
