// The command line as others meet it: help, exit codes, one clear line for each mistake, and measuring a path whose answer is known.
#include "base/file.h"
#include "command_line.h"
#include "machine/program.h"
#include "shapes.h"
#include <QDir>
#include <QDirIterator>
#include <QFile>
#include <QTemporaryDir>
#include <QtTest>
#include <nlohmann/json.hpp>

using namespace hemline;
using nlohmann::json;

namespace {

/// What is said on the last line, without the progress before it.
QString said(const Ran& r) {
  const QStringList lines = r.err.split(QRegularExpression("[\r\n]"), Qt::SkipEmptyParts);
  return lines.isEmpty() ? QString() : lines.last().trimmed();
}

} // namespace

class TestCli : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;

  QString file(const QString& name) const { return dir_.filePath(name); }

  /// Straight passes of a ball over a plate of 20 x 16 mm at z = 0.
  QString passes(const QString& name, double spacing, double z, const char* units = "MM") {
    const double scale = QString(units) == "INCHES" ? 1 / kInch : 1;
    QString text = QString("UNITS/%1\nLOADTL/1\nSPINDL/8000,CLW\nFEDRAT/1000\n").arg(units);
    bool forward = true;
    for (double y = -8; y <= 8 + 1e-9; y += spacing, forward = !forward)
      for (const double x : {forward ? -10.0 : 10.0, forward ? 10.0 : -10.0})
        text += QString("GOTO/%1,%2,%3\n").arg(x * scale, 0, 'f', 9).arg(y * scale, 0, 'f', 9).arg(z * scale, 0, 'f', 9);
    writeFileSafely(file(name).toStdString(), text.toStdString());
    return file(name);
  }

  json proved(const QStringList& more, const QString& out, int code) {
    const Ran r = cli(QStringList{"prove", "--part", file("plate.stl"), "--unit", "mm", "--out", out} + more);
    if (r.code != code) qWarning() << r.err << r.out;
    if (r.code != code) return {};
    return json::parse(readFile(out.toStdString() + "/report.json"))["steps"][0];
  }
  static const json& promise(const json& step, const std::string& name) {
    for (const json& p : step["promises"])
      if (p["name"] == name) return p;
    throw std::runtime_error("no " + name);
  }

private slots:
  /// Steps are changed in words; what is wrong is told in one line, and the job is then as it was, to the byte.
  void stepsAreChangedInWords() {
    const QString job = file("words.hemline");
    QCOMPARE(cli({"new", "--part", file("wall.stl"), "--unit", "mm", "--cusp", "0.02", "--out", job}).code, 0);
    struct Case {
      QStringList words;
      int code;
      const char* says; // in what is printed, or in the error
    };
    for (const Case& c : std::vector<Case>{
             {{"show", job}, 0, "Rough level by level with"},
             {{"set", job, "Finish", "cusp=4 um", "direction=12 deg", "stick_out_mm=1.5 in"}, 0, "12° both ways, cusp at most 4 µm"},
             {{"show", job, "2"}, 0, "38.1 mm"},
             {{"set", job, "Rough", "level spacing=3*0.2"}, 0, "levels 0.6 mm apart"},
             {{"set", job, "1", "depth=deep"}, 1, "\"deep\" is not a length"},
             {{"set", job, "1", "zigzag=true"}, 1, "has no field 'zigzag'"},
             {{"set", job, "3", "cusp=1"}, 1, "no step '3'"},
             {{"set", job, "2", "cusp"}, 1, "sets nothing"},
             {{"set", job, "2", "cusp="}, 1, "cannot go without"},
             {{"set", job, "2", "cusp=6 mm"}, 1, "larger than the cutter's radius"},
             {{"add", job, "parallel passes", "--set", "angle=90", "name=Across"}, 0, "3. Across"},
             {{"add", job, "given path"}, 1, "has no file"},
             {{"add", job, "whittling"}, 1, "'whittling' is not known"},
             {{"move", job, "Across", "--before", "2"}, 0, "2. Across"},
             {{"remove", job, "Across"}, 0, "removed: Across"},
             {{"kinds", "drilling"}, 0, "peck_mm"}}) {
      const std::string before = readFile(job.toStdString());
      const Ran r = cli(c.words);
      QVERIFY2(r.code == c.code && (c.code == 0 ? r.out : r.err).contains(QString::fromUtf8(c.says)),
               qPrintable(c.words.join(" ") + ": " + r.out + r.err));
      if (c.code != 0) QCOMPARE(readFile(job.toStdString()), before);
    }
    const json steps = json::parse(readFile(job.toStdString()))["steps"];
    QVERIFY(steps.size() == 2 && steps[1]["promises"]["cusp_mm"] == 0.004 && steps[1]["angle_deg"] == 12 &&
            steps[0]["depth_mm"] == 3 * 0.2);
  }

  void initTestCase() {
    writeStl(file("plate.stl").toStdString(), shapes::field(-10, 10, -8, 8, 8, 8, [](double, double) { return 0.0; })->mesh);
    writeStl(file("wall.stl").toStdString(), partFromTriangles(shapes::box({0, 0, 0}, {10, 10, 30}), "wall")->mesh);
  }

  void helpIsEnoughToWorkFrom() {
    const Ran all = cli({"--help"});
    QCOMPARE(all.code, 0);
    for (const char* word : {"run", "prove", "new", "report", "cache", "Exit code"}) QVERIFY2(all.out.contains(word), word);
    const std::vector<std::pair<QString, QStringList>> options{
        {"run", {"--out", "--steps", "--threads", "--no-cache"}},
        {"prove", {"--part", "--cl", "--cutter", "--holder", "--stickout", "--allowance", "--out"}},
        {"new", {"--part", "--unit", "--stock", "--cutter", "--cusp", "--out"}},
        {"report", {"--unit", "--chord", "--study", "--cusp"}}};
    for (const auto& [command, names] : options) {
      const Ran r = cli({command, "--help"});
      QCOMPARE(r.code, 0);
      for (const QString& n : names) QVERIFY2(r.out.contains(n), qPrintable(command + " " + n));
    }
    QVERIFY(!cli({"--version"}).out.trimmed().isEmpty());
  }

  void mistakesAreToldInOneLine_data() {
    QTest::addColumn<QStringList>("arguments");
    QTest::addColumn<QString>("word"); // what the line must name
    const auto row = [](const char* name, const QStringList& a, const char* word) { QTest::newRow(name) << a << QString(word); };
    row("no command", {}, "subcommand");
    row("unknown command", {"polish"}, "--help");
    row("unknown option", {"run", "x.hemline", "--out", "o", "--wax"}, "--wax");
    row("no out", {"run", "x.hemline"}, "--out");
    row("no such job", {"run", "@nowhere.hemline", "--out", "@o"}, "nowhere.hemline");
    row("job that is none", {"run", "@plate.stl", "--out", "@o"}, "plate.stl");
    row("no such model", {"report", "@nothing.stl", "--unit", "mm"}, "nothing.stl");
    row("unit is asked for", {"report", "@plate.stl"}, "unit");
    row("unknown unit", {"report", "@plate.stl", "--unit", "cubit"}, "cubit");
    row("unknown format", {"report", "@plate.xyz", "--unit", "mm"}, "xyz");
    row("unknown stock", {"new", "--part", "@plate.stl", "--unit", "mm", "--stock", "heap:2", "--cusp", "0.01", "--out", "@j"}, "heap");
    row("negative margin", {"new", "--part", "@plate.stl", "--unit", "mm", "--stock", "box:-2", "--cusp", "0.01", "--out", "@j"}, "margin");
    row("cusp of nothing", {"new", "--part", "@plate.stl", "--unit", "mm", "--cusp", "0", "--out", "@j"}, "cusp");
    row("unknown cutter", {"new", "--part", "@plate.stl", "--unit", "mm", "--cutter", "spoon", "--cusp", "0.01", "--out", "@j"}, "spoon");
    row("unwritable job", {"new", "--part", "@plate.stl", "--unit", "mm", "--cusp", "0.01", "--out", "/proc/none/j.hemline"}, "/proc/none");
    row("no such path", {"prove", "--part", "@plate.stl", "--unit", "mm", "--cl", "@none.cl", "--cutter", "ball 8", "--out", "@o"},
        "none.cl");
    row("path that is none", {"prove", "--part", "@plate.stl", "--unit", "mm", "--cl", "@plate.stl", "--cutter", "ball 8", "--out", "@o"},
        "plate.stl");
  }
  void mistakesAreToldInOneLine() {
    QFETCH(QStringList, arguments);
    QFETCH(QString, word);
    for (QString& a : arguments)
      if (a.startsWith('@')) a = file(a.mid(1));
    if (arguments.contains(file("plate.xyz"))) writeFileSafely(file("plate.xyz").toStdString(), "1 2 3");
    const Ran r = cli(arguments);
    QVERIFY2(r.code == 1, qPrintable(QString("%1: %2 %3").arg(r.code).arg(r.out, r.err)));
    const QString line = said(r);
    QVERIFY2((r.err + r.out).contains(word, Qt::CaseInsensitive), qPrintable(r.err));
    QVERIFY2(line.size() > 15 && line.size() < 400, qPrintable(line));
    QVERIFY(!QFile::exists(file("o")) && !QFile::exists(file("j"))); // nothing half done is left behind
  }

  void aKnownPathIsMeasuredAsItIs() {
    // Ball 8 mm, passes 0.4 apart on a plate: h = R - sqrt(R^2 - s^2/4).
    const double h = 4 - std::sqrt(16 - 0.04);
    for (const char* units : {"MM", "INCHES"}) {
      const json s = proved({"--cl", passes("a.cl", 0.4, 0, units), "--cutter", "ball 8", "--cusp", "0.0055"}, file("a"), 0);
      QVERIFY(!s.is_null());
      const json& cusp = promise(s, "cusp_mm");
      QVERIFY2(std::abs(cusp["measured"].get<double>() / h - 1) < 0.02 && cusp["upper_bound"].get<double>() >= h - 1e-9,
               cusp.dump().c_str());
      QVERIFY(cusp["verdict"] == "kept");
      QVERIFY(promise(s, "gouge_mm")["measured"].get<double>() < 1e-6);
    }
    // A promise that it does not keep, ground that is cut too deep, and an allowance that makes it right again.
    QVERIFY(promise(proved({"--cl", file("a.cl"), "--cutter", "ball 8", "--cusp", "0.004"}, file("b"), 3), "cusp_mm")["verdict"] ==
            "broken");
    const json deep = proved({"--cl", passes("deep.cl", 0.4, -0.02), "--cutter", "ball 8", "--cusp", "0.0055"}, file("c"), 3);
    QVERIFY2(std::abs(promise(deep, "gouge_mm")["measured"].get<double>() - 0.02) < 1e-3, deep.dump().c_str());
    QVERIFY(promise(deep, "gouge_mm")["verdict"] == "broken");
    const json high =
        proved({"--cl", passes("high.cl", 0.4, 0.3), "--cutter", "ball 8", "--cusp", "0.0055", "--allowance", "0.3"}, file("d"), 0);
    QVERIFY(std::abs(promise(high, "cusp_mm")["measured"].get<double>() / h - 1) < 0.02);
    // The measured surface is written with a value for each point.
    const std::string ply = readFile(file("a/proof.ply").toStdString());
    QVERIFY(ply.starts_with("ply\n") && ply.find("property float stock_left_mm") != std::string::npos);
  }

  void programsOfOthersAreMeasured() {
    // The same passes as an ISO program whose turns are half circles beside the plate, cut by the second of two cutters; the turns are
    // outside and change nothing.
    const double h = 4 - std::sqrt(16 - 0.04);
    QString text = "%\nN10 G21 G90 G94 G17\nT1 M6\nS3000 M3\nG43 H1\nG0 X50. Y50. Z30.\nG1 Z20. F300.\nT2 M6\nS8000 M3\nG43 H2\n"
                   "G0 X-11. Y-8. Z20.\nG1 Z0. F1000.\n";
    bool forward = true;
    for (int i = 0; i <= 40; ++i, forward = !forward)
      text += QString("G1 X%1\n").arg(forward ? 11 : -11) +
              (i < 40 ? QString("G%1 Y%2 R0.2\n").arg(forward ? 3 : 2).arg(-8 + 0.4 * (i + 1), 0, 'f', 4) : QString());
    text += "G91 G28 Z0.\nM5\nM30\n%\n";
    const auto write = [&](const char* name, const QString& t) {
      writeFileSafely(file(name).toStdString(), t.toStdString());
      return file(name);
    };
    const QString mill = HEMLINE_SOURCE "/data/machines/mill-3.json";
    const auto args = [&](const QString& name, const char* tool) {
      return QStringList{"--path", name, "--machine", mill, "--tool", tool, "--cutter", "ball 8", "--cusp", "0.0055"};
    };
    const json s = proved(args(write("arcs.nc", text), "2"), file("n"), 0);
    QVERIFY(!s.is_null());
    const double cusp = promise(s, "cusp_mm")["measured"].get<double>();
    QVERIFY2(std::abs(cusp / h - 1) < 0.02 && s["blockers"].empty(), s.dump().c_str());
    QCOMPARE(s["notes"].size(), std::size_t{3}); // whole numbers, the way up to the reference, and what ground was judged
    // Two cutters and none named, none at all, no machine; a block that a switch may skip is never proven; unknown words stop it.
    const auto fails = [&](const QStringList& more, const char* word) {
      const Ran r = cli(QStringList{"prove", "--part", file("plate.stl"), "--unit", "mm", "--out", file("never")} + more);
      QVERIFY2(r.code == 1 && said(r).contains(word), qPrintable(r.err));
    };
    fails(args(file("arcs.nc"), "0"), "T1, T2");
    fails(args(file("arcs.nc"), "7"), "T7");
    fails({"--path", file("arcs.nc"), "--cutter", "ball 8"}, "machine");
    fails(args(write("cycle.nc", QString(text).replace("N10", "G83 X1. Z-5. R1. Q1. F50.\nN10")), "2"), "cycle.nc, line 2");
    QVERIFY(!QFile::exists(file("never")));
    const json skip = proved(args(write("skip.nc", QString(text).replace("G91 G28", "/G91 G28")), "2"), file("m"), 3);
    QVERIFY2(skip["blockers"].size() == 1, skip.dump().c_str());
    // Beyond the travel of an axis.
    const json far = proved(args(write("far.nc", QString(text).replace("M5\n", "G90 G0 X700.\n")), "2"), file("f"), 3);
    QVERIFY2(far["blockers"][0].get<std::string>().find("X = 700") != std::string::npos, far.dump().c_str());
  }

  void holdersAreMeasuredToo() {
    // A ball runs beside the top of a wall 30 high; a holder that reaches down to it is not clear, a longer stick-out is.
    QString text = "UNITS/MM\nLOADTL/1\nFEDRAT/500\n";
    for (int i = 0; i <= 10; ++i) text += QString("GOTO/-4.0,%1,5.0\n").arg(i);
    writeFileSafely(file("wall.cl").toStdString(), text.toStdString());
    writeFileSafely(file("short.json").toStdString(),
                    R"({"name":"short","kind":"ball","diameter_mm":8,"flute_length_mm":12,"length_mm":60,"least_gripped_mm":10})");
    writeFileSafely(file("holder.json").toStdString(), R"({"name":"slim","bore_mm":8,"parts_z0_r0_z1_r1_mm":[[0,8,35,11],[35,11,60,16]]})");
    const auto run = [&](double stickOut, int code) {
      const QString out = file(QString("w%1").arg(stickOut));
      const Ran r = cli({"prove", "--part", file("wall.stl"), "--unit", "mm", "--cl", file("wall.cl"), "--cutter", file("short.json"),
                         "--holder", file("holder.json"), "--stickout", QString::number(stickOut), "--cusp", "5", "--out", out});
      if (r.code != code) qWarning() << stickOut << r.code << r.err;
      const json report = json::parse(readFile(out.toStdString() + "/report.json"));
      return promise(report["steps"][0], "clearance_mm");
    };
    const json near = run(20, 3);
    QVERIFY2(near["verdict"] == "broken" && near["measured"].get<double>() <= 0 && near["upper_bound"].get<double>() < 0,
             near.dump().c_str());
    // With a machine its table counts.
    json mill = json::parse(readFile(HEMLINE_SOURCE "/data/machines/mill-3.json"));
    mill["work_offset_mm"] = {0, 0, -19.9}; // the table comes up to z = 19.9, where shank and holder are
    writeFileSafely(file("high.json").toStdString(), mill.dump());
    const Ran high = cli({"prove", "--part", file("plate.stl"), "--unit", "mm", "--path", passes("t.cl", 0.4, 0), "--machine",
                          file("high.json"), "--cutter", "ball 8", "--holder", "slim shrink 8", "--cusp", "0.0055", "--out", file("t")});
    QVERIFY2(high.code == 3 && high.out.contains("against machine table"), qPrintable(high.out + high.err));
    const json at = near["at"];
    QVERIFY(at[2].get<double>() > 20); // where the holder is
  }

  void reportsDescribeTheModel() {
    const Ran r = cli({"report", file("wall.stl"), "--unit", "mm"});
    QCOMPARE(r.code, 0);
    for (const char* word : {"10", "30", "12"}) QVERIFY2(r.out.contains(word), qPrintable(r.out)); // size, triangles
    const Ran inch = cli({"report", file("wall.stl"), "--unit", "inch"});
    QVERIFY(inch.out.contains("762")); // 30 in
    QVERIFY(!r.out.contains("With three axes"));
    const Ran studied = cli({"report", file("wall.stl"), "--unit", "mm", "--study"});
    for (const char* word : {"With three axes: all of it from", "is seen from here", "Largest ball that fits everywhere", "Facets"})
      QVERIFY2(studied.code == 0 && studied.out.contains(word), qPrintable(studied.out));
  }

  void theFirstJobRuns() {
    // What `new` writes, `run` takes as it is; the answer on the console is that of the report.
    QCOMPARE(cli({"new", "--part", file("plate.stl"), "--unit", "mm", "--stock", "box:1", "--cusp", "0.02", "--out", file("plate.hemline")})
                 .code,
             0);
    const Ran r = cli({"run", file("plate.hemline"), "--out", file("plate"), "--threads", "1"});
    const json report = json::parse(readFile(file("plate/report.json").toStdString()));
    QCOMPARE(r.code, report["proven"].get<bool>() ? 0 : 3);
    for (const json& s : report["steps"]) QVERIFY2(s["blockers"].empty(), s["blockers"].dump().c_str()); // it stands clear of the table
    QVERIFY2(r.out.contains(report["proven"].get<bool>() ? "proven" : "not proven"), qPrintable(r.out));
    for (const json& s : report["steps"]) {
      QVERIFY(r.out.contains(QString::fromStdString(s["name"].get<std::string>())));
      // The path file holds as many places as the report says.
      const Path path = readCl(readFile(file("plate/").toStdString() + s["cl"].get<std::string>()), "cl");
      QCOMPARE(path.locations.size(), s["points"].get<std::size_t>());
      // Roughing is told move by move, finishing over stretches; neither tells of the other.
      const bool stretches = s.contains("stretch_mm");
      QVERIFY(stretches != s.contains("mean_engagement_deg") && s["air_share"].get<double>() >= 0 && s["air_share"].get<double>() <= 1);
      if (!stretches)
        QVERIFY(s["engagement_p99_deg"].get<double>() <= s["engagement_deg"].get<double>() && s["engagement_p99_deg"].get<double>() > 0);
      if (stretches) QVERIFY(s["heaviest_section_mm2"]["value"].get<double>() >= s["mean_section_mm2"].get<double>());
    }
    QVERIFY(!r.err.contains('\r') && r.err.count('\n') < 60); // progress into a file: a line for each piece of work
  }

  void whatWasComputedIsRememberedOnDisk() {
    const QByteArray before = qgetenv("XDG_CACHE_HOME");
    qputenv("XDG_CACHE_HOME", QFile::encodeName(file("cache")));
    const QString known = "All results were remembered";
    const auto run = [&](const QStringList& more = {}) {
      return cli(QStringList{"run", file("plate.hemline"), "--out", file("remembered")} + more);
    };
    const Ran first = run(), second = run();
    QVERIFY(!first.err.contains(known) && second.err.contains(known));
    QCOMPARE(second.out, first.out);
    QVERIFY(!run({"--no-cache"}).err.contains(known));
    QDirIterator files(file("cache"), QDir::Files, QDirIterator::Subdirectories);
    int damaged = 0;
    while (files.hasNext())
      if (QFile f(files.next()); f.size() > 50 && f.open(QIODevice::ReadWrite) && f.seek(50)) {
        const char byte = static_cast<char>(f.read(1).at(0) ^ 1);
        f.seek(50), f.write(&byte, 1), ++damaged;
      }
    const Ran mended = run();
    QVERIFY(damaged > 10 && mended.err.contains(QString("%1 results on disk were damaged").arg(damaged)) && mended.out == first.out);
    QVERIFY(cli({"cache"}).out.startsWith(QString::number(damaged)));
    QVERIFY(cli({"cache", "--clear"}).out.startsWith(QString("removed: %1 results").arg(damaged)));
    QVERIFY(cli({"cache"}).out.startsWith("0 results"));
    qputenv("XDG_CACHE_HOME", before);
  }
};

QTEST_GUILESS_MAIN(TestCli)
#include "tst_cli.moc"
