#include "ledger.h"
#include "brief/fields.h"
#include "job/report.h"
#include "theme.h"
#include <QApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPushButton>
#include <QSettings>
#include <QVBoxLayout>
#include <set>

namespace hemline::app {
namespace {

/// The field's label, of the first kind that has it; empty: none has.
QString columnHead(const QString& id) {
  for (const StepKind& k : stepKinds())
    if (const StepField* f = k.field(id.toStdString())) return QString::fromStdString(f->label);
  return {};
}

/// Settings may name fields that are not there any more.
QStringList known(QStringList ids) {
  ids.removeIf([](const QString& id) { return columnHead(id).isEmpty(); });
  return ids;
}

} // namespace

Ledger::Ledger(Desk& desk, QWidget* parent) : QWidget(parent), desk_(desk), table_(new QTableWidget) {
  setObjectName("panel");
  auto* box = new QVBoxLayout(this);
  auto* bar = new QHBoxLayout;
  auto* title = new QLabel(tr("Ledger"));
  title->setObjectName("title");
  bar->addWidget(title);
  bar->addStretch(1);
  const auto button = [&](const QString& text, auto run) {
    auto* b = new QPushButton(text);
    connect(b, &QPushButton::clicked, this, run);
    bar->addWidget(b);
  };
  button(tr("Add a step…"), [this] {
    const auto chosen = selectedSteps();
    emit addAsked(chosen.empty() ? static_cast<int>(desk_.job().steps.size()) : chosen.back() + 1);
  });
  button(tr("Up"), [this] { move(-1); });
  button(tr("Down"), [this] { move(1); });
  button(tr("Duplicate"), [this] { duplicate(); });
  button(tr("Remove"), [this] { remove(); });
  button(tr("Change in all selected…"), [this] { changeAll(); });
  button(tr("Columns…"), [this] { chooseColumns(); });
  columns_ = known(QSettings("hemline", "hemline").value("ledger/columns", QStringList{"holder", "stick_out_mm"}).toStringList());
  box->addLayout(bar);
  table_->setObjectName("ledger");
  table_->setAccessibleName(tr("Steps of the job, one a row"));
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->verticalHeader()->hide();
  table_->setWordWrap(false);
  table_->setShowGrid(false);
  box->addWidget(table_, 1);
  means_ = new QLabel;
  means_->setObjectName("dropMeans");
  means_->setWordWrap(true);
  means_->hide();
  box->addWidget(means_);
  line_ = new QFrame(table_->viewport());
  line_->setObjectName("dropLine");
  line_->hide();
  table_->setToolTip(tr("Drag a row to another place: what the new order would break is told before it is dropped."));
  table_->viewport()->installEventFilter(this);
  table_->installEventFilter(this);
  connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
    const auto s = selectedSteps();
    if (!filling_ && s.size() == 1) emit stepChosen(s.front());
  });
  connect(&desk_, &Desk::jobChanged, this, &Ledger::refresh);
  connect(&desk_, &Desk::resultsChanged, this, &Ledger::refresh);
  connect(&desk_, &Desk::unitChanged, this, &Ledger::refresh);
}

void Ledger::setColumns(const QStringList& ids) {
  columns_ = known(ids);
  QSettings("hemline", "hemline").setValue("ledger/columns", columns_);
  refresh();
}

void Ledger::chooseColumns() {
  QMenu menu(this);
  const auto& kinds = stepKinds();
  const auto inAll = [&](const std::string& id) {
    return std::all_of(kinds.begin(), kinds.end(), [&](const StepKind& k) { return k.field(id); });
  };
  const auto add = [&](QMenu& to, const StepField& f) {
    const QString id = QString::fromStdString(f.id);
    QAction* a = to.addAction(QString::fromStdString(f.label));
    a->setObjectName(id);
    a->setCheckable(true);
    a->setChecked(columns_.contains(id));
    a->setToolTip(QString::fromStdString(f.help));
    connect(a, &QAction::triggered, this, [this, id](bool on) {
      QStringList ids = columns_;
      ids.removeAll(id);
      if (on) ids << id;
      setColumns(ids);
    });
  };
  for (const StepField& f : kinds.front().fields)
    if (inAll(f.id)) add(menu, f);
  menu.addSeparator();
  for (const StepKind& k : kinds) {
    QMenu* own = menu.addMenu(QString::fromStdString(k.id));
    own->setToolTipsVisible(true);
    for (const StepField& f : k.fields)
      if (!inAll(f.id)) add(*own, f);
  }
  menu.setToolTipsVisible(true);
  menu.exec(QCursor::pos());
}

std::vector<int> Ledger::selectedSteps() const {
  std::set<int> steps;
  for (const QTableWidgetItem* i : table_->selectedItems())
    if (i->data(Qt::UserRole).isValid()) steps.insert(i->data(Qt::UserRole).toInt());
  return {steps.begin(), steps.end()};
}

void Ledger::refresh() {
  const auto before = selectedSteps();
  filling_ = true;
  QStringList heads{tr("#"), tr("step"), tr("kind")};
  for (const QString& id : columns_) heads << columnHead(id);
  heads << tr("promises") << tr("time");
  table_->clear();
  table_->setColumnCount(static_cast<int>(heads.size()));
  table_->setHorizontalHeaderLabels(heads);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  const auto& steps = desk_.job().steps;
  int row = 0;
  table_->setRowCount(0);
  std::string cutter;
  int clamping = -1;
  const auto seam = [&](const QString& words, const QColor& colour) {
    table_->insertRow(row);
    auto* item = new QTableWidgetItem(words);
    item->setFlags(Qt::ItemIsEnabled);
    item->setForeground(colour);
    table_->setItem(row, 0, item);
    table_->setSpan(row, 0, 1, static_cast<int>(heads.size()));
    ++row;
  };
  for (std::size_t i = 0; i < steps.size(); ++i) {
    const Step& s = steps[i];
    if (s.clamping != clamping && desk_.job().clampings.size() > 1) {
      cutter.clear(); // it does not stay over the flip
      seam(tr("Clamping %1: %2")
               .arg(s.clamping + 1)
               .arg(QString::fromStdString(desk_.job().clampings[static_cast<std::size_t>(s.clamping)].name)),
           theme().ink);
    }
    clamping = s.clamping;
    if (s.cutter != cutter) {
      cutter = s.cutter;
      seam(tr("┄┄ %1").arg(QString::fromStdString(cutter)), theme().muted);
    }
    const StepView view = i < desk_.steps().size() ? desk_.steps()[i] : StepView{};
    int kept = 0, broken = 0, unknown = 0;
    if (view.result)
      for (const PromiseResult& p : view.result->promises)
        ++(p.verdict == Verdict::Broken ? broken : p.verdict == Verdict::Unknown ? unknown : kept);
    const QString promises =
        !view.result ? tr("not computed")
                     : tr("%1 kept, %2 broken, %3 not known").arg(kept).arg(broken).arg(unknown) + (view.fresh ? "" : tr(" (stale)"));
    QStringList cells{QString::number(i + 1), QString::fromStdString(s.name), QString::fromStdString(kindOf(s).id)};
    for (const QString& id : columns_) {
      const StepField* f = kindOf(s).field(id.toStdString());
      cells << (f ? QString::fromStdString(f->show(desk_.job(), s, desk_.unit())) : QString());
    }
    cells << promises << (view.result ? QString::fromStdString(formatDuration(view.result->time->timing.total)) : tr("time not known"));
    table_->insertRow(row);
    for (int c = 0; c < cells.size(); ++c) {
      auto* item = new QTableWidgetItem(cells[c]);
      item->setData(Qt::UserRole, static_cast<int>(i));
      item->setToolTip(cells[c]);
      if (broken > 0 && c == cells.size() - 2) item->setForeground(theme().broken);
      table_->setItem(row, c, item);
      if (std::find(before.begin(), before.end(), static_cast<int>(i)) != before.end()) item->setSelected(true);
    }
    ++row;
  }
  table_->resizeColumnsToContents();
  table_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
  filling_ = false;
}

void Ledger::move(int by) {
  const auto chosen = selectedSteps();
  if (chosen.size() != 1) return emit refused(tr("Select one step to move."));
  const int from = chosen.front(), place = by > 0 ? from + 2 : from - 1;
  if (place < 0 || place > static_cast<int>(desk_.job().steps.size())) return;
  moveTo(from, place);
}

void Ledger::moveTo(int from, int place) {
  bool breaks = false;
  const QStringList means = desk_.moveMeans(from, place, breaks);
  if (means.isEmpty()) return;
  desk_.moveStep(from, place);
  table_->clearSelection();
  table_->selectRow(rowOf(place > from ? place - 1 : place));
  emit refused(means.join(" ") + tr(" Ctrl+Z takes it back."));
}

int Ledger::rowOf(int step) const {
  for (int row = 0; row < table_->rowCount(); ++row)
    if (const auto* i = table_->item(row, 0); i && i->data(Qt::UserRole).isValid() && i->data(Qt::UserRole).toInt() == step) return row;
  return -1;
}

/// The step under the pointer goes before the row whose upper half it is over, else after it.
void Ledger::drag(const QPoint& at) {
  const auto n = static_cast<int>(desk_.job().steps.size());
  dropAt_ = n;
  int y = 0;
  for (int step = 0; step < n; ++step) {
    const QRect r = table_->visualRect(table_->model()->index(rowOf(step), 0));
    y = r.bottom();
    if (at.y() < r.center().y()) {
      dropAt_ = step, y = r.top();
      break;
    }
  }
  line_->setGeometry(0, y - 1, table_->viewport()->width(), 3);
  line_->setStyleSheet("background: " + theme().accent.name());
  line_->show();
  bool breaks = false;
  const QStringList means = desk_.moveMeans(dragged_, dropAt_, breaks);
  means_->setText(means.isEmpty() ? tr("It stays where it is.") : means.join("\n"));
  means_->setStyleSheet(breaks ? "color: " + theme().broken.name() : QString());
  means_->show();
}

void Ledger::drop(bool take) {
  const int from = std::exchange(dragged_, -1), place = std::exchange(dropAt_, -1);
  line_->hide();
  means_->hide();
  if (take && from >= 0 && place >= 0) moveTo(from, place);
}

bool Ledger::eventFilter(QObject* of, QEvent* e) {
  if (of == table_->viewport() && e->type() == QEvent::MouseButtonPress) {
    const auto* m = static_cast<QMouseEvent*>(e);
    const auto* item = table_->itemAt(m->position().toPoint());
    const bool step = item && item->data(Qt::UserRole).isValid() && m->button() == Qt::LeftButton && m->modifiers() == Qt::NoModifier;
    dragged_ = step ? item->data(Qt::UserRole).toInt() : -1;
    dropAt_ = -1, pressed_ = m->position().toPoint();
  }
  if (of == table_->viewport() && e->type() == QEvent::MouseMove && dragged_ >= 0) {
    const QPoint at = static_cast<QMouseEvent*>(e)->position().toPoint();
    if (dropAt_ >= 0 || (at - pressed_).manhattanLength() >= QApplication::startDragDistance()) drag(at);
    return true; // no rows are selected on the way
  }
  if (of == table_->viewport() && e->type() == QEvent::MouseButtonRelease && dragged_ >= 0) {
    const bool dragging = dropAt_ >= 0;
    drop(dragging);
    if (dragging) return true;
  }
  if (e->type() == QEvent::KeyPress && dropAt_ >= 0 && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape) {
    drop(false);
    return true;
  }
  return QWidget::eventFilter(of, e);
}

void Ledger::duplicate() {
  for (const int i : selectedSteps())
    desk_.attempt(tr("duplicate step"), [&](Job& j) {
      Step copy = j.steps[static_cast<std::size_t>(i)];
      copy.name += " (copy)";
      j.steps.insert(j.steps.begin() + i + 1, copy);
    });
}

void Ledger::remove() {
  auto chosen = selectedSteps();
  if (chosen.size() >= desk_.job().steps.size()) return emit refused(tr("A job needs at least one step: it stays."));
  if (chosen.empty()) return emit refused(tr("Select the steps to remove."));
  desk_.attempt(tr("remove step"), [&](Job& j) {
    std::reverse(chosen.begin(), chosen.end());
    for (const int i : chosen) j.steps.erase(j.steps.begin() + i);
  });
}

void Ledger::changeAll() {
  const auto chosen = selectedSteps();
  if (chosen.empty()) return emit refused(tr("Select the steps to change."));
  // Only fields that all of them have.
  QStringList names;
  std::vector<const StepField*> fields;
  for (const StepField& f : kindOf(desk_.job().steps[static_cast<std::size_t>(chosen.front())]).fields) {
    bool all = f.row;
    for (const int i : chosen) all = all && kindOf(desk_.job().steps[static_cast<std::size_t>(i)]).field(f.id);
    if (all) names << QString::fromStdString(f.label), fields.push_back(&f);
  }
  bool good = false;
  const QString which = QInputDialog::getItem(this, tr("Change in all selected"), tr("Value:"), names, 0, false, &good);
  if (!good) return;
  const StepField& f = *fields[static_cast<std::size_t>(names.indexOf(which))];
  const Value first = valueOf(f, chosen.front());
  const QString now = first.show(desk_.job(), desk_.unit());
  const QString typed = first.choices ? QInputDialog::getItem(this, which, first.help, first.choices(desk_.job()), 0, false, &good)
                                      : QInputDialog::getText(this, which, first.help, QLineEdit::Normal, now, &good);
  if (!good) return;
  try {
    desk_.edit(tr("change %1 in %2 steps").arg(which).arg(chosen.size()), [&](Job& j) {
      for (const int i : chosen) {
        Step& s = j.steps[static_cast<std::size_t>(i)];
        kindOf(s).field(f.id)->type(j, s, typed.toStdString(), desk_.unit());
      }
    });
  } catch (const Error& e) {
    emit refused(QString::fromStdString(e.happened + ". " + e.remedy));
  }
}

} // namespace hemline::app
