// The libraries' window: cutters, holders, assemblies, materials and machines are searched, drawn, changed, refused, saved and taken.
#include "base/file.h"
#include "cutter/mount.h"
#include "libraries/libraries_window.h"
#include "machine/machine.h"
#include "own_library.h"
#include "theme.h"
#include <QApplication>
#include <QDir>
#include <QLineEdit>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTimer>
#include <QtTest>

using namespace hemline;
using namespace hemline::app;
using Page = LibrariesWindow::Page;

namespace {

bool said(const QWidget* of, const QString& words) {
  for (const QLabel* l : of->findChildren<QLabel*>())
    if (l->text().contains(words)) return true;
  return false;
}

void press(const QWidget* of, const char* name) {
  for (QPushButton* b : of->findChildren<QPushButton*>())
    if (b->text() == name && b->isEnabled()) return QTest::mouseClick(b, Qt::LeftButton);
  QFAIL(name);
}

int column(const RecordTable* t, const QString& head) {
  for (int c = 0; c < t->columnCount(); ++c)
    if (t->horizontalHeaderItem(c)->text() == head) return c;
  return -1;
}

int rowOf(const RecordTable* t, const QString& name) {
  for (int r = 0; r < t->rowCount(); ++r)
    if (t->item(r, 0)->text() == name) return r;
  return -1;
}

} // namespace

class TestLibraries : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;

  std::unique_ptr<LibrariesWindow> window(Page first, LengthUnit unit = LengthUnit::Millimetre) {
    Shelf shelf = readShelf();
    shelf.unit = unit;
    Job job;
    Step s;
    s.cutter = "ball 8", s.holder = shelf.library.holders[0].name;
    job.steps = {s};
    job.machineFile = HEMLINE_SOURCE "/data/machines/mill-3.json";
    job.material = shelf.materials[0];
    shelf.job = job;
    auto w = std::make_unique<LibrariesWindow>(shelf, first, nullptr);
    w->show();
    return w;
  }

  void picture(LibrariesWindow& w, const char* name) {
    if (qEnvironmentVariableIsSet("SHOTS")) w.grab().save(qEnvironmentVariable("SHOTS") + "/" + name + ".png");
  }

private slots:
  void initTestCase() {
    qputenv("XDG_DATA_HOME", dir_.path().toUtf8());
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, dir_.path());
    setTheme(qEnvironmentVariableIsSet("DARK"));
    applyTheme();
  }

  void cuttersAreCheckedDrawnAndFound() {
    auto w = window(Page::Cutters, LengthUnit::Inch);
    RecordTable* t = w->page(Page::Cutters)->table();
    const auto& cutters = w->shelf().library.cutters;
    const double wide = cutters[0].diameter;
    const int diameter = column(t, "diameter"), neck = column(t, "neck to"), used = column(t, "used by");
    QCOMPARE(t->item(0, diameter)->text(), QString::number(wide / kInch, 'g', 5));
    t->item(0, diameter)->setText("-3");
    QVERIFY(cutters[0].diameter == wide && t->item(0, diameter)->text() == QString::number(wide / kInch, 'g', 5));
    QVERIFY(said(w.get(), "diameter") && !w->shelf().changed());
    t->item(0, neck)->setText("1/2");
    QVERIFY(cutters[0].neckLength == 0.5 * kInch && w->shelf().changed());
    t->item(0, 0)->setText("ball 8"); // one name for two
    QVERIFY(cutters[0].name != "ball 8" && said(w.get(), "one name"));
    // A speed that is typed is told for the job's material, so that no assumed one takes its place.
    t->item(0, column(t, "m/min"))->setText("333");
    QVERIFY(said(w.get(), "aluminium") && cutters[0].dataFor == w->shelf().materials[0].name);
    QCOMPARE(cutterFor(w->shelf().materials[0], cutters[0]).cuttingSpeed, 333.0);
    for (int r = 0; r < t->rowCount(); ++r) { // none that cannot be drawn
      t->selectRow(r);
      const auto* p = static_cast<AssemblyPicture*>(w->page(Page::Cutters)->findChild<QWidget*>("assemblyPicture"));
      QVERIFY2(p->words().startsWith(t->item(r, 0)->text()), qPrintable(p->words()));
      QVERIFY2(p->accessibleName().contains(" in ") && p->accessibleName().contains("⌀"), qPrintable(p->accessibleName()));
    }
    w->page(Page::Cutters)->findChild<QLineEdit*>("search")->setText("ball 8");
    QStringList found;
    for (int r = 0; r < t->rowCount(); ++r)
      if (!t->isRowHidden(r)) found << t->item(r, 0)->text() + ": " + t->item(r, used)->text();
    QVERIFY2(found.size() == 1 && found[0] == "ball 8: step 1", qPrintable(found.join(", ")));
    picture(*w, "cutters");
    // What is not saved is asked for before it is lost.
    int asked = 0;
    QTimer::singleShot(0, [&] {
      auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
      ++asked;
      box->button(QMessageBox::Cancel)->click();
    });
    w->reject();
    QVERIFY(asked == 1 && w->isVisible());
    QVERIFY(w->save() && readLibrary(ownLibraryPath().toStdString()).cutters[0].neckLength == 0.5 * kInch);
    w->reject();
    QVERIFY(!w->isVisible());
  }

  void holdersAreTypedInBothUnits() {
    auto w = window(Page::Holders, LengthUnit::Inch);
    RecordTable* t = w->page(Page::Holders)->table();
    const Holder& h = w->shelf().library.holders[0];
    const auto before = h.parts;
    const int shape = column(t, "shape: z r z r; …");
    t->item(0, shape)->setText("0 0.5 1 0.5; 1 1 2");
    QVERIFY(said(w.get(), "no frustum") && h.parts.size() == before.size());
    t->item(0, shape)->setText("0 0.5 1 0.5; 1 1 2 1");
    QVERIFY(h.parts.size() == 2 && h.parts[1].z1 == 2 * kInch && h.parts[0].r0 == 0.5 * kInch);
    t->item(0, column(t, "bore from"))->setText("9"); // wider than the widest
    QVERIFY(said(w.get(), "least bore"));
    t->selectRow(1);
    picture(*w, "holders");
    press(w->page(Page::Holders), "Take into the job"); // of one that was not changed
  }

  void assembliesThatCannotBeMountedAreNotGiven() {
    auto w = window(Page::Assemblies);
    LibraryPage* page = w->page(Page::Assemblies);
    RecordTable* t = page->table();
    QSignalSpy given(w.get(), &LibrariesWindow::assemblyTaken);
    const int had = t->rowCount();
    press(page, "Add one");
    press(page, "Add one");
    QCOMPARE(t->rowCount(), had + 2);
    const int fits = column(t, "can it be mounted?");
    for (int r = 0; r < t->rowCount(); ++r) QCOMPARE(t->item(r, fits)->text(), QString("yes"));
    t->selectRow(had);
    press(page, "Give to the selected step");
    QCOMPARE(given.size(), 1);
    t->item(had, column(t, "out"))->setText("400");
    QVERIFY2(t->item(had, fits)->text().startsWith("no: "), qPrintable(t->item(had, fits)->text()));
    press(page, "Give to the selected step");
    QCOMPARE(given.size(), 1);
    t->selectRow(had + 1);
    picture(*w, "assemblies");
    QVERIFY(w->save());
    QCOMPARE(int(readLibrary(ownLibraryPath().toStdString()).assemblies.size()), had + 2);
  }

  void materialsAndTheirCuttingData() {
    auto w = window(Page::Materials);
    LibraryPage* page = w->page(Page::Materials);
    RecordTable* t = page->table();
    const auto& materials = w->shelf().materials;
    const Material was = materials[0];
    for (const auto& [head, typed, told] : {std::tuple("cutting force, N/mm²", "-5", "cutting force"),
                                            std::tuple("rise", "much", "not a number"), std::tuple("elasticity, N/mm²", "0", "elasticity"),
                                            std::tuple("material", "", "no name"), std::tuple("material", "bronze", "one name")}) {
      t->item(0, column(t, head))->setText(typed);
      QVERIFY2(said(page, told), typed);
      QVERIFY(toJson(materials[0]) == toJson(was));
    }
    t->item(0, column(t, "cutting force, N/mm²"))->setText("650+50");
    QCOMPARE(materials[0].force, 700.0);
    QCOMPARE(materials[0].cutting.size(), was.cutting.size()); // what is not in the row is kept
    t->selectRow(1);
    auto* cutting = page->findChild<RecordTable*>("cutting");
    const int ball = static_cast<int>(CutterKind::Ball);
    QCOMPARE(cutting->item(ball, 3)->text(), QString("assumed"));
    cutting->item(ball, 1)->setText("-20");
    QVERIFY(cutting->item(ball, 3)->text() == "assumed");
    cutting->item(ball, 1)->setText("180");
    QCOMPARE(cutting->item(ball, 3)->text(), QString("your own"));
    picture(*w, "materials");
    press(page, "Copy as a new one");
    QCOMPARE(materials.back().name, materials[1].name + " (copy)");
    t->item(t->rowCount() - 1, 0)->setText("pattern alloy");
    QSignalSpy taken(w.get(), &LibrariesWindow::materialTaken);
    press(page, "Take into the job");
    QCOMPARE(taken.size(), 1);
    QVERIFY(w->save());
    const std::vector<Material> now = readMaterials(ownMaterialsPath().toStdString());
    QVERIFY(now.size() == materials.size() && now.back().name == "pattern alloy");
    // A job of that material begins with what the table says now.
    Job job;
    job.cutters = {readLibrary(HEMLINE_SOURCE "/data/cutters/library.json").cutter("ball 8")};
    giveMaterial(job, now.back());
    QVERIFY(job.cutters[0].cuttingSpeed == 180 && job.material->cutting.empty());
    QCOMPARE(libraryOf(&job).cutter("ball 8").cuttingSpeed, 180.0);
  }

  void machinesAreCopiedAndChanged() {
    auto w = window(Page::Machines, LengthUnit::Inch);
    LibraryPage* page = w->page(Page::Machines);
    RecordTable* t = page->table();
    auto* axes = page->findChild<RecordTable*>("axes");
    const int shipped = t->rowCount();
    QVERIFY(shipped >= 2 && t->item(rowOf(t, "Stand-in mill, three axes"), column(t, "used by"))->text() == "this job");
    t->selectRow(1);
    const QString high = axes->item(0, 2)->text();
    axes->item(0, 2)->setText("99");
    QVERIFY(said(page, "comes along") && axes->item(0, 2)->text() == high && !w->shelf().changed());
    press(page, "Copy as my own");
    press(page, "Copy as my own"); // of the copy
    QCOMPARE(t->rowCount(), shipped + 2);
    t->item(t->rowCount() - 1, 0)->setText("Stand-in mill, three axes");
    QVERIFY(said(page, "one name") && t->item(t->rowCount() - 1, 0)->text().endsWith("(copy) (copy)"));
    axes->item(0, 2)->setText("10"); // inches
    axes->item(3, 2)->setText("90"); // degrees
    axes->item(1, 1)->setText("20");
    QVERIFY2(said(page, "Axis Y"), "low above high was taken");
    // What else there is: work zero, spindle, nose, table; a number that is not typed keeps its last digit.
    auto* besides = page->findChild<RecordTable*>("besides");
    QCOMPARE(besides->item(0, 1)->text(), QString("0 0 1.5748"));
    besides->item(0, 1)->setText("1 0 1.5748");
    besides->item(2, 1)->setText("100 40; 12000 wide");
    QVERIFY(said(page, "wide") && besides->item(2, 1)->text().startsWith("100 50"));
    besides->item(2, 1)->setText("100 40; 12000 20");
    picture(*w, "machines");
    QSignalSpy taken(w.get(), &LibrariesWindow::machineTaken);
    press(page, "Take into the job"); // not before it is a file
    QVERIFY(taken.isEmpty() && said(page, "Save first"));
    QVERIFY(w->save());
    press(page, "Take into the job");
    QCOMPARE(taken.size(), 1);
    const Machine m = readMachine(taken[0][0].toString().toStdString());
    QVERIFY(std::abs(m.axis[0].high - 10 * kInch) < 1e-9 && std::abs(m.axis[3].high - kPi / 2) < 1e-9 && !m.commissioned);
    const Machine was = readMachine(HEMLINE_SOURCE "/data/machines/mill-5-ac.json");
    QVERIFY(m.workOffset == Vec3(kInch, 0, 40) && m.spindle.size() == 2 && m.spindle[1].torque == 20 && m.nose.size() == was.nose.size());
    QVERIFY(m.axis[0].low == was.axis[0].low && m.axis[1].high == was.axis[1].high && m.axis[0].velocity == was.axis[0].velocity);
    QCOMPARE(int(machineFiles().size()), shipped + 2);
  }

  void whatIsDamagedIsPutAside() {
    for (const QString& file : {ownLibraryPath(), ownMaterialsPath()}) {
      QVERIFY(QFile::exists(file));
      writeFileSafely(file.toStdString(), "{\"cutters\": 5, \"materials\": 7}");
      QVERIFY_EXCEPTION_THROWN(readShelf(), Error);
      QVERIFY(!readShelf().library.cutters.empty() && QFile::exists(file + ".damaged-1"));
    }
  }
};

QTEST_MAIN(TestLibraries)
#include "tst_libraries.moc"
