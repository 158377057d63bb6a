// Small files on which something was once said that was not so, or that broke the program: each gives the right answer, or one clear line.
#include "command_line.h"
#include <QDir>
#include <QTemporaryDir>
#include <QtTest>

class TestCases : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  static QString file(const QString& name) { return QString(HEMLINE_SOURCE) + "/tests/cases/" + name; }

private slots:
  void eachSaysWhatIsSo_data() {
    QTest::addColumn<QStringList>("arguments");
    QTest::addColumn<int>("code");
    QTest::addColumn<QStringList>("says");
    const auto row = [](const char* name, const QStringList& a, int code, const QStringList& says) {
      QTest::newRow(name) << a << code << says;
    };
    const auto prove = [](const char* part, const char* path) {
      return QStringList{"prove", "--part", file(part), "--unit", "mm", "--cl", file(path), "--cutter", "ball 8"};
    };
    row("a groove across a fine plate", prove("plate2.stl", "g4.cl"), 3,
        {"0.500 mm", "promise gouge_mm is broken", "the gouge is that of the whole part", "no holder was named"});
    row("a groove across two large facets", prove("plate.stl", "s3.cl"), 3, {"1.500 mm", "promise gouge_mm is broken"});
    row("through a tall wall", prove("tallwall.stl", "g4.cl"), 3, {"promise gouge_mm is broken"});
    row("the groove as a job", {"run", file("given.hemline")}, 3, {"promise gouge_mm is broken", "no program is given out"});
    const auto job = [&](const char* name, int code, const QStringList& says) {
      row(name, {"run", file("jobs/") + name + ".hemline"}, code, says);
    };
    job("p", 3, {"nothing is told that holds the work"});
    job("blocked", 3, {"cannot be waived", "no program is given out"});
    job("broken", 3, {"is broken", "no program is given out"});
    job("negative-uncertainty", 1, {"'uncertainty_mm' is -20", "0 to 50 mm"});
    job("promises-text", 1, {"promises", "object"});
    job("as_set-list", 1, {"as_set", "object"});
    job("holder-null", 1, {"four numbers"});
    job("holder-text", 1, {"four numbers"});
    job("stock-5", 1, {"stock", "object"});
    job("no-steps", 1, {"no steps"});
    job("safe-gap-1e12", 1, {"'safe_gap_mm' is 1e+12"});
    job("cusp-1e-6", 1, {"'cusp_mm' is 1e-06"});
    job("depth-1e-300", 1, {"'depth_mm' is 1e-300"});
    job("clinject", 3, {"held"});
    job("newline", 3, {"held"});
    job("pct", 3, {"held"});
    job("long", 3, {"held"});
    const auto model = [&](const char* name, int code, const QStringList& says) {
      row(name, {"report", file("models/") + name}, code, says);
    };
    model("u_inch.3mf", 0, {"508.000 x 406.400"});
    model("u_micron.3mf", 0, {"0.020 x 0.016", "is its unit right?"});
    model("u_meter.3mf", 0, {"20000.000 x 16000.000", "is its unit right?"});
    model("u_millimeter.3mf", 0, {"20.000 x 16.000"});
    model("u_none.3mf", 0, {"20.000 x 16.000"});
    model("u_furlong.3mf", 1, {"furlong", "centimeter"});
    model("u_xform.3mf", 0, {"size"});
    model("3mf_component_bomb_10_8__x.3mf", 1, {"components"});
    model("3mf_self_component__x.3mf", 1, {"hold themselves"});
    model("3mf_zip_mut1_kind3__m.3mf", 1, {"damaged"});
    model("3mf_zip_mut9_kind5__m.3mf", 1, {"damaged"});
    model("step-crash.step", 1, {"fell over this one"});
    model("slow_step0.step", 0, {"64.000 x 64.000 x 155.000", "facets off by at most"});
    // As it was made: the roughing cutter would be held by its neck.
    const QString made = dir_.filePath("gripped.hemline");
    QFile p(file("jobs/p.hemline"));
    QVERIFY(p.open(QIODevice::ReadOnly));
    QFile gripped(made);
    QVERIFY(gripped.open(QIODevice::WriteOnly));
    gripped.write(p.readAll().replace("\"stick_out_mm\": 34.0", "\"stick_out_mm\": 16.0"));
    row("a neck that is gripped", {"run", made}, 1, {"grip the neck", "Nearest that works: 32 mm out (32 to 64 mm)"});
    row("a drill is to finish",
        {"new", "--part", file("plate.stl"), "--unit", "mm", "--cusp", "0.01", "--cutter", "flat 10", "--cutter", "drill 14"}, 1,
        {"does not finish"});
    row("a cusp that is none", {"new", "--part", file("plate.stl"), "--unit", "mm", "--cusp", "8"}, 1, {"A cusp of 8 mm is none"});
    row("ply_no_property_huge__x.ply", {"report", file("models/ply_no_property_huge__x.ply"), "--unit", "mm"}, 1, {"PLY"});
    row("a unit that the file contradicts", {"report", file("models/u_inch.3mf"), "--unit", "mm"}, 1, {"inch", "mm was asked for"});
    for (const auto& [option, value] :
         {std::pair("--cusp", "nan"), std::pair("--stickout", "-5"), std::pair("--threads", "-3"), std::pair("--allowance", "1e308")})
      row(option, prove("plate.stl", "s3.cl") + QStringList{option, value}, 1, {option});
    row("--stock", {"new", "--part", file("plate.stl"), "--unit", "mm", "--cusp", "0.01", "--stock", "box:2,2"}, 1, {"not a margin"});
  }
  void eachSaysWhatIsSo() {
    QFETCH(QStringList, arguments);
    QFETCH(int, code);
    QFETCH(QStringList, says);
    const QString out = dir_.filePath("out");
    if (arguments[0] != "report") arguments << "--out" << out;
    const Ran r = cli(arguments);
    QVERIFY2(r.code == code, qPrintable(QString("%1: %2 %3").arg(r.code).arg(r.out.left(1500), r.err.right(600))));
    for (const QString& s : says)
      QVERIFY2((r.out + r.err).contains(s), qPrintable(s + " is not in: " + r.out.left(1500) + r.err.right(600)));
    QVERIFY(!(r.out + r.err).contains("Unexpected") && !(r.out + r.err).contains("within Hemline"));
    if (code == 1) QVERIFY2(r.err.trimmed().section('\n', -1).size() < 400, qPrintable(r.err));
    // Whatever ran before, only a job that is not held leaves programs in the folder.
    if (code != 0 && arguments[0] == "run") QVERIFY(QDir(out).entryList({"*.nc"}, QDir::Files).isEmpty());
    for (const QString& line : r.out.split('\n')) QVERIFY2(line.size() < 1000 && !line.startsWith("GOTO"), qPrintable(line.left(80)));
  }

  void foldersNeedNotBeUtf8() {
    const QString tests = QString(HEMLINE_SOURCE) + "/tests/";
    const Ran r = ran("sh", {tests + "cli/not_utf8.sh", HEMLINE_CLI, dir_.path(), tests + "cases"});
    QVERIFY2(r.code == 0, qPrintable(r.out.right(800) + r.err.right(800)));
  }

  void deepNestingAndDamagedZipsAreRefused() {
    const auto write = [&](const char* name, const QByteArray& bytes) {
      QFile f(dir_.filePath(name));
      if (f.open(QIODevice::WriteOnly)) f.write(bytes);
      return dir_.filePath(name);
    };
    Ran r = cli({"run", write("deep.hemline", QByteArray(20000, '[')), "--out", dir_.filePath("d")});
    QVERIFY2(r.code == 1 && r.err.contains("nested"), qPrintable(r.err));
    QFile whole(file("models/u_inch.3mf"));
    QVERIFY(whole.open(QIODevice::ReadOnly));
    const QByteArray bytes = whole.readAll();
    for (int n = 0; n < 60; ++n) { // cut short, and bytes changed: an answer or one line, never a crash
      QByteArray bad = n % 2 ? bytes.left(bytes.size() * n / 60) : bytes;
      if (n % 2 == 0) bad[(n * 37) % bad.size()] = static_cast<char>(bad[(n * 37) % bad.size()] ^ (1 << n % 8));
      r = cli({"report", write("bad.3mf", bad)});
      QVERIFY2(r.code == 0 || r.code == 1, qPrintable(QString("%1: %2").arg(n).arg(r.err)));
    }
  }
};

QTEST_GUILESS_MAIN(TestCases)
#include "tst_cases.moc"
