#include "dialogs.h"
#include "base/error.h"
#include "job/report.h"
#include <QComboBox>
#include <QDateTime>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

namespace hemline::app {

std::optional<Waiver> askWaiver(const Desk& desk, QWidget* parent) {
  struct Open {
    std::string step, promise, key;
    double bound;
  };
  std::vector<Open> open;
  QStringList names;
  const auto add = [&](const std::string& of, const Key& key, const std::vector<PromiseResult>& promises) {
    for (const PromiseResult& p : promises)
      if (p.verdict == Verdict::Broken || p.verdict == Verdict::Unknown) {
        open.push_back({of, p.name, key.text(), p.bound});
        names << QObject::tr("%1: %2 %3, promised %4")
                     .arg(QString::fromStdString(of), QString::fromStdString(promiseTitle(p.name)),
                          QString::fromStdString(showPromise(p.name, p.bound, desk.unit())),
                          QString::fromStdString(showPromise(p.name, p.promised, desk.unit())));
      }
  };
  for (const auto& r : desk.result().steps) add(r->step.name, r->key, r->promises);
  for (const RegionResult& r : desk.result().ofRegions) add("region " + r.region.name, r.key, r.promises);
  if (open.empty())
    throw Error(Fault::NothingToDo, "No promise needs a waiver", {},
                "collisions, rapids through stock, limits and unproven motions can never be waived");
  QDialog dialog(parent);
  dialog.setObjectName("waiveDialog");
  dialog.setWindowTitle(QObject::tr("Waive a promise"));
  auto* form = new QFormLayout(&dialog);
  auto* which = new QComboBox;
  which->addItems(names);
  auto* who = new QLineEdit;
  auto* why = new QLineEdit;
  who->setObjectName("who");
  why->setObjectName("why");
  form->addRow(new QLabel(
      QObject::tr("A qualified person lets one promise pass, by name. It lapses when the content changes and the result gets worse.")));
  form->addRow(QObject::tr("Promise"), which);
  form->addRow(QObject::tr("Who"), who);
  form->addRow(QObject::tr("Why"), why);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  buttons->button(QDialogButtonBox::Ok)->setText(QObject::tr("Waive"));
  const auto check = [=] {
    buttons->button(QDialogButtonBox::Ok)->setEnabled(!who->text().trimmed().isEmpty() && !why->text().trimmed().isEmpty());
  };
  QObject::connect(who, &QLineEdit::textChanged, &dialog, check);
  QObject::connect(why, &QLineEdit::textChanged, &dialog, check);
  check();
  QObject::connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  form->addRow(buttons);
  if (dialog.exec() != QDialog::Accepted) return std::nullopt;
  const Open& o = open[static_cast<std::size_t>(which->currentIndex())];
  const QString now = QDateTime::currentDateTime().toString(Qt::ISODate);
  return Waiver{o.step, o.promise, who->text().trimmed().toStdString(), why->text().trimmed().toStdString(), now.toStdString(),
                o.key,  o.bound};
}

std::optional<JournalEntry> askRun(const Desk& desk, QWidget* parent) {
  if (desk.result().steps.empty()) throw Error(Fault::NothingToDo, "No step is computed yet", {}, "wait, or press F5");
  QStringList names;
  for (const auto& r : desk.result().steps) names << QString::fromStdString(r->step.name);
  bool good = false;
  const QString which = QInputDialog::getItem(parent, QObject::tr("Record a run"), QObject::tr("Step:"), names, 0, false, &good);
  if (!good) return std::nullopt;
  const StepResult& r = *desk.result().steps[static_cast<std::size_t>(names.indexOf(which))];
  const double planned = r.time->timing.total;
  const double minutes =
      QInputDialog::getDouble(parent, QObject::tr("Record a run"),
                              QObject::tr("Minutes it took (planned %1):").arg(planned / 60, 0, 'f', 1), planned / 60, 0.01, 1e5, 1, &good);
  if (!good) return std::nullopt;
  const QString remark =
      QInputDialog::getText(parent, QObject::tr("Record a run"), QObject::tr("What was noticed (chatter, override, corner not clean…):"),
                            QLineEdit::Normal, {}, &good);
  if (!good) return std::nullopt;
  return JournalEntry{QDateTime::currentDateTime().toString("d MMMM yyyy, HH:mm"), which, remark, planned, minutes * 60};
}

} // namespace hemline::app
