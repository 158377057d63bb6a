// The house is kept tidy: which room may know which, names, length of functions. Read from the sources themselves.
#include "base/file.h"
#include "model/fields.h"
#include <QtTest>
#include <filesystem>
#include <regex>

using namespace hemline;
namespace fs = std::filesystem;

namespace {

/// Rooms of the core, ground floor first: each knows only those before it.
const std::vector<std::string> kRooms{"base",    "geometry",  "cutter",   "part",     "toolpath", "machine", "stock",
                                      "surface", "finishing", "roughing", "proof",    "study",    "region",  "hold",
                                      "model",   "load",      "graph",    "findings", "steps",    "job",     "plan"};
constexpr std::size_t kSeenWhole = 80; // lines of a function
/// Tables, which grow by a line for what is new.
const std::set<std::string> kTables{"ranges.cpp table", "finding.cpp kinds"};

struct Source {
  fs::path path; ///< below src/
  std::vector<std::string> lines;
};

std::vector<Source> sources() {
  const fs::path root = fs::path(HEMLINE_SOURCE) / "src";
  std::vector<Source> out;
  for (const auto& e : fs::recursive_directory_iterator(root)) {
    if (e.path().extension() != ".h" && e.path().extension() != ".cpp") continue;
    Source s{fs::relative(e.path(), root), {}};
    std::istringstream text(readFile(e.path().string()));
    for (std::string line; std::getline(text, line);) s.lines.push_back(line);
    out.push_back(std::move(s));
  }
  return out;
}

bool inCore(const Source& s) {
  return *s.path.begin() == "core";
}

} // namespace

class TestHouse : public QObject {
  Q_OBJECT
  std::vector<Source> all_ = sources();

private slots:
  void aRoomKnowsOnlyThoseBelow() {
    const auto floorOf = [](const std::string& room) { return std::find(kRooms.begin(), kRooms.end(), room) - kRooms.begin(); };
    const std::regex include("#include \"([a-z]+)/.*");
    std::size_t looked = 0;
    for (const Source& s : all_) {
      if (!inCore(s) || std::distance(s.path.begin(), s.path.end()) < 3) continue;
      const std::string room = std::next(s.path.begin())->string();
      QVERIFY2(floorOf(room) < std::ssize(kRooms), qPrintable(QString::fromStdString("which floor has " + room)));
      for (const std::string& line : s.lines)
        if (std::smatch m; std::regex_match(line, m, include)) {
          ++looked;
          QVERIFY2(floorOf(m[1]) <= floorOf(room), qPrintable(QString::fromStdString(s.path.string() + " reads " + m[1].str())));
        }
    }
    QVERIFY(looked > 300);
  }

  void aPatternTouchesFourFiles() {
    // What names a finishing kind, or its field, is what a new one has to touch: what it is, that it is one of the kinds, its field, and
    // which field is whose. Who chooses among kinds for a new job does not have to know of it.
    const std::set<std::string> touched{"core/model/step.h", "core/steps/lay.h"},
        choosing{"core/plan/new_job.cpp", "core/plan/next_step.cpp", "core/plan/propose_finish.cpp", "core/plan/finishing_chain.cpp"};
    const std::regex kind(R"(^struct ([A-Za-z]+) \{$)"), lay(R"(^inline ([A-Za-z]+) layOf\(const ([A-Za-z]+)& .*)");
    const auto naming = [this](const std::string& word) {
      std::set<std::string> out;
      for (const Source& s : all_)
        for (const std::string& line : s.lines)
          if (std::regex_search(line, std::regex("\\b" + word + "\\b"))) out.insert(s.path.string());
      return out;
    };
    // Files of fields by the field: one that is put together of others names these.
    std::map<std::string, std::string> own;
    for (const Source& l : all_)
      if (l.path == "core/steps/lay.h")
        for (const std::string& line : l.lines)
          if (std::smatch m; std::regex_match(line, m, lay)) own[m[1]];
    for (auto& [field, file] : own)
      for (const Source& s : all_)
        if (s.path.string().starts_with("core/surface/") &&
            std::find(s.lines.begin(), s.lines.end(), "struct " + field + " {") != s.lines.end())
          file = s.path.string();
    std::size_t patterns = 0;
    for (const Source& s : all_) {
      if (!s.path.string().starts_with("core/model/kinds/") || s.path.extension() != ".h") continue;
      if (std::none_of(s.lines.begin(), s.lines.end(), [](const std::string& l) { return l.starts_with("  Finishing finish"); })) continue;
      ++patterns;
      std::string name, field;
      std::smatch m;
      for (const std::string& line : s.lines)
        if (std::regex_match(line, m, kind)) name = m[1];
      for (const Source& l : all_)
        if (l.path == "core/steps/lay.h")
          for (const std::string& line : l.lines)
            if (std::regex_match(line, m, lay) && m[2] == name) field = m[1];
      QVERIFY2(!name.empty() && !field.empty(), s.path.c_str());
      std::set<std::string> files = naming(name);
      files.merge(naming(field));
      for (const std::string& f : choosing) files.erase(f);
      // Which find fields, all by distance and those of faces.
      for (const char* f :
           {"core/finishing/fronts.h", "core/finishing/fronts.cpp", "core/finishing/flow_field.h", "core/finishing/flow_field.cpp"})
        files.erase(f);
      files.erase(std::filesystem::path(s.path).replace_extension(".cpp").string()); // what it checks stands beside it
      for (const std::string& f : files)
        QVERIFY2(touched.count(f) || f.starts_with("core/surface/") || f == s.path.string(), (name + " is named in " + f).c_str());
      for (const auto& [other, file] : own)
        if (other != field) files.erase(file);
      QVERIFY2(files.size() <= 4, (name + " is named in " + std::to_string(files.size()) + " files").c_str());
    }
    QVERIFY(patterns > 0);
  }

  void whatMendsIsARow() {
    const std::regex mended(R"re(mendedBy\("([a-z_.A-Z]+)"\))re");
    std::size_t looked = 0;
    for (const Source& s : all_)
      for (const std::string& line : s.lines)
        for (std::sregex_iterator m(line.begin(), line.end(), mended), end; m != end; ++m, ++looked) {
          const auto& kinds = stepKinds();
          const std::string id = (*m)[1];
          QVERIFY2(std::any_of(kinds.begin(), kinds.end(), [&](const StepKind& k) { return k.field(id); }),
                   (s.path.string() + ": " + id).c_str());
        }
    QVERIFY(looked > 40);
  }

  void theCoreKnowsNoWindow() {
    const std::regex qt("#include <(Q[A-Za-z]+|qt.*)>");
    for (const Source& s : all_)
      if (inCore(s) || *s.path.begin() == "cli")
        for (const std::string& line : s.lines) QVERIFY2(!std::regex_match(line, qt), s.path.c_str());
  }

  void headersHaveNamesOfTheirOwn() {
    std::map<std::string, std::string> known; // of the core
    for (const Source& s : all_) {
      if (!inCore(s) || s.path.extension() != ".h") continue;
      const auto [at, isNew] = known.emplace(s.path.filename().string(), s.path.string());
      if (!isNew) QVERIFY2(false, (at->second + " and " + s.path.string()).c_str());
    }
    QVERIFY(known.size() > 80);
  }

  void infinityHasAName() {
    for (const Source& s : all_)
      for (const std::string& line : s.lines)
        if (s.path.filename() != "infinity.h")
          QVERIFY2(line.find("1e300") == std::string::npos && line.find("1e299") == std::string::npos, s.path.c_str());
  }

  void functionsCanBeSeenWhole() {
    const std::regex begins(R"(^(  )?[A-Za-z:][^#]*\{$)"), other(R"(^\s*(namespace|struct|class|enum|extern|union|public|private)\b.*)");
    std::size_t functions = 0;
    for (const Source& s : all_)
      for (std::size_t i = 0; i < s.lines.size(); ++i) {
        const std::string& line = s.lines[i];
        std::smatch m;
        if (!std::regex_match(line, m, begins) || std::regex_match(line, other)) continue;
        std::size_t head = i; // a signature may take several lines
        while (head > 0 && s.lines[head - 1].ends_with(",") && s.lines[head].find('(') == std::string::npos) --head;
        if (s.lines[head].find('(') == std::string::npos) continue;
        std::size_t end = i + 1;
        while (end < s.lines.size() && !s.lines[end].starts_with(m[1].str() + "}")) ++end;
        ++functions;
        const std::size_t length = end - i;
        i = end;
        if (length > kSeenWhole) {
          const std::string before = s.lines[head].substr(0, s.lines[head].find('('));
          const std::string name = s.path.filename().string() + " " + before.substr(before.find_last_of(" *&") + 1);
          if (kTables.count(name)) continue;
          QVERIFY2(false, (name + ": " + std::to_string(length) + " lines").c_str());
        }
      }
    QVERIFY(functions > 1000);
  }
};

QTEST_APPLESS_MAIN(TestHouse)
#include "tst_house.moc"
