#include "brief/brief.h"
#include "base/text.h"
#include "brief/flow.h"
#include "job/estimate.h"
#include "job/report.h"
#include "model/promise_kinds.h"
#include "plan/costs.h"
#include "theme.h"
#include <QApplication>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QScrollBar>
#include <QTimer>
#include <QVBoxLayout>

namespace hemline::app {
namespace {

constexpr int kWidest = 165, kWidestInside = 250; // px of a value in a row, in the sentence

QLabel* label(const QString& text, const char* name = nullptr) {
  auto* l = new QLabel(text);
  if (name) l->setObjectName(name);
  l->setWordWrap(true);
  return l;
}

QFrame* rule() {
  auto* f = new QFrame;
  f->setObjectName("rule");
  f->setFixedHeight(1);
  return f;
}

} // namespace

Clause::Clause(Desk& desk, Value value, bool sentence, QWidget* parent)
    : QWidget(parent), desk_(desk), value_(std::move(value)), sentence_(sentence) {
  setObjectName("clause-" + value_.id);
  auto* box = new QHBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  box->setSpacing(0);
  button_ = new QToolButton;
  button_->setObjectName("clause");
  button_->setFocusPolicy(Qt::StrongFocus);
  button_->setToolTip(value_.help);
  button_->setAccessibleName(value_.label);
  if (!sentence) button_->setStyleSheet("font-size: 13px");
  box->addWidget(button_);
  button_->installEventFilter(this);
  connect(button_, &QToolButton::clicked, this, &Clause::edit);
  refresh();
}

void Clause::refresh() {
  shown_ = value_.show(desk_.job(), desk_.unit());
  button_->setText(
      button_->fontMetrics().elidedText(shown_, sentence_ ? Qt::ElideRight : Qt::ElideMiddle, sentence_ ? kWidestInside : kWidest));
  button_->setToolTip(button_->text() == shown_ ? value_.help : shown_ + "\n" + value_.help);
  button_->setAccessibleDescription(shown_ + ". " + value_.help);
  updateGeometry();
}

void Clause::edit() {
  if (editor_) return;
  if (value_.choices) {
    QMenu menu(this);
    for (const QString& c : value_.choices(desk_.job())) {
      QAction* a = menu.addAction(c);
      a->setCheckable(true);
      a->setChecked(c == shown_);
    }
    if (const QAction* a = menu.exec(button_->mapToGlobal(QPoint(0, button_->height())))) commit(a->text());
    return;
  }
  editor_ = new QLineEdit(shown_);
  editor_->setObjectName("edit-" + value_.id);
  editor_->setFixedWidth(std::max(110, button_->width() + 30));
  editor_->installEventFilter(this);
  static_cast<QBoxLayout*>(layout())->insertWidget(layout()->indexOf(button_), editor_); // before a comma that follows
  editor_->show(); // what is not shown yet cannot take the focus
  editor_->selectAll();
  editor_->setFocus();
  button_->hide();
  connect(editor_, &QLineEdit::returnPressed, this, [this] { commit(editor_->text()); });
}

void Clause::close() {
  if (!editor_) return;
  editor_->removeEventFilter(this);
  editor_->deleteLater();
  editor_ = nullptr;
  button_->show();
  refresh();
}

void Clause::commit(const QString& text) {
  if (editor_ && text == shown_) return close();
  try {
    desk_.edit(tr("change %1").arg(value_.label), [&](Job& j) { value_.set(j, text, desk_.unit()); });
    emit accepted();
    close();
  } catch (const Error& e) { // the old value stays; what was typed stays to be mended
    emit refused(QString::fromStdString(e.happened) + ". " + QString::fromStdString(e.remedy));
    if (editor_) {
      editor_->setProperty("wrong", true);
      editor_->style()->unpolish(editor_);
      editor_->style()->polish(editor_);
    }
  }
}

bool Clause::eventFilter(QObject* o, QEvent* e) {
  if (o == button_ && e->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Return || key == Qt::Key_Enter || key == Qt::Key_F2) {
      edit();
      return true;
    }
  }
  if (o == editor_ && e->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Escape) {
      close();
      button_->setFocus();
      return true;
    }
    if (key == Qt::Key_Up || key == Qt::Key_Down) { // the number steps by a tenth of itself, angles by one degree
      QString digits = editor_->text(), unit;
      int end = 0;
      while (end < digits.size() && (digits[end].isDigit() || digits[end] == '.' || digits[end] == '-')) ++end;
      unit = digits.mid(end);
      bool good = false;
      const double v = digits.left(end).toDouble(&good);
      if (good) {
        const double up = value_.nudge > 1 ? v * value_.nudge : v + 1, down = value_.nudge > 1 ? v / value_.nudge : v - 1;
        editor_->setText(QString::number(key == Qt::Key_Up ? up : down, 'g', 4) + unit);
      }
      return true;
    }
  }
  if (o == editor_ && e->type() == QEvent::FocusOut) {
    if (editor_->property("wrong").toBool())
      QTimer::singleShot(0, this, &Clause::close);
    else
      QTimer::singleShot(0, this, [this] {
        if (editor_) commit(editor_->text());
      });
  }
  return QWidget::eventFilter(o, e);
}

PromiseRow::PromiseRow(const QString& name, const QString& measured, int verdict, const QString& help, QWidget* middle, QWidget* parent)
    : QWidget(parent), verdict_(verdict) {
  auto* box = new QHBoxLayout(this);
  box->setContentsMargins(26, 2, 0, 2);
  auto* title = new QLabel(name);
  title->setFixedWidth(84);
  box->addWidget(title);
  if (middle) box->addWidget(middle);
  box->addStretch(1);
  auto* value = new QLabel(measured);
  if (verdict == 1) value->setObjectName("broken");
  box->addWidget(value);
  setToolTip(help);
  setCursor(Qt::PointingHandCursor);
}

void PromiseRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  if (verdict_ >= 0) paintVerdict(p, QRectF(4, height() / 2.0 - 8, 16, 16), verdict_);
}

void PromiseRow::mouseReleaseEvent(QMouseEvent*) {
  emit clicked();
}

Brief::Brief(Desk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  box->setSpacing(4);
  headline_ = label({}, "title");
  sentence_ = new QWidget;
  promises_ = new QWidget;
  // What is pinned keeps its height; the rows below scroll.
  promises_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
  estimate_ = label({}, "muted");
  note_ = label({}, "broken");
  note_->setObjectName("briefNote");
  note_->setStyleSheet("color: " + theme().broken.name());
  note_->hide();
  rows_ = new QWidget;
  rows_->setObjectName("panel");
  scroll_ = new QScrollArea;
  scroll_->setObjectName("panel");
  scroll_->setWidgetResizable(true);
  scroll_->setFrameShape(QFrame::NoFrame);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  scroll_->setWidget(rows_);
  box->addWidget(headline_);
  box->addWidget(sentence_);
  box->addWidget(note_);
  box->addWidget(rule());
  box->addWidget(promises_);
  box->addWidget(estimate_);
  box->addWidget(rule());
  box->addWidget(scroll_, 1);
  connect(&desk_, &Desk::jobChanged, this, &Brief::refresh);
  connect(&desk_, &Desk::resultsChanged, this, &Brief::refresh);
  connect(&desk_, &Desk::unitChanged, this, &Brief::refresh);
}

void Brief::show(int step) {
  step_ = step;
  note_->hide();
  refresh();
}

Clause* Brief::clause(const QString& id) const {
  for (Clause* c : clauses_)
    if (c->id() == id) return c;
  return nullptr;
}

void Brief::pointAt(const QString& id, const QString& why) {
  note_->setText(why);
  note_->show();
  if (Clause* c = clause(id)) {
    if (scroll_->isAncestorOf(c)) scroll_->ensureWidgetVisible(c);
    if (auto* b = c->findChild<QToolButton*>()) b->setFocus();
  }
}

void Brief::refresh() {
  if (step_ >= static_cast<int>(desk_.job().steps.size())) return;
  // Rebuilt only when the set of widgets changes, so that an open editor is not lost to a result that comes in.
  const Step& s = desk_.job().steps[static_cast<std::size_t>(step_)];
  QString shape = QString("%1 %2 %3").arg(step_).arg(s.body.index()).arg(QString::fromStdString(joined(kindOf(s).sentence(s), " ")));
  if (shape != shape_) {
    shape_ = shape;
    rebuild();
  }
  refreshCosts();
  for (Clause* c : clauses_) c->refresh();
  headline_->setText(tr("Step %1: %2").arg(step_ + 1).arg(QString::fromStdString(s.name)));

  // Promises: pinned, each beside what was measured.
  const StepView view = step_ < static_cast<int>(desk_.steps().size()) ? desk_.steps()[static_cast<std::size_t>(step_)] : StepView{};
  // An editor that is open among them is left alone until it is done.
  const QWidget* focus = QApplication::focusWidget();
  if (qobject_cast<const QLineEdit*>(focus) && promises_->isAncestorOf(focus)) return;
  auto* box = static_cast<QVBoxLayout*>(promises_->layout());
  for (PromiseRow* row : promises_->findChildren<PromiseRow*>()) {
    for (Clause* c : row->findChildren<Clause*>()) c->setParent(promises_); // the clauses are kept, the rows are made anew
    row->deleteLater();
    row->setParent(nullptr);
  }
  for (Clause* c : clauses_) {
    const StepField* f = kindOf(s).field(c->id().toStdString());
    if (!f || !f->promise || scroll_->isAncestorOf(c) || sentence_->isAncestorOf(c)) continue;
    QString measured = view.result ? QStringLiteral("–") : tr("not computed");
    int verdict = f->stored && f->get(s).is_null() ? -1 : 2; // what is not promised has no mark
    Vec3 at = Vec3::Zero();
    if (view.result)
      for (const PromiseResult& p : view.result->promises)
        if (p.name == f->id) {
          measured = QString::fromStdString(showPromise(p.name, p.measured, desk_.unit()));
          if (promiseKind(p.name).larger && p.measured >= p.promised) measured = "≥ " + measured;
          verdict = static_cast<int>(p.verdict), at = p.at;
          if (!view.fresh) measured += tr(" (stale)"), verdict = 2;
        }
    auto* row = new PromiseRow(QString::fromStdString(f->label), measured, verdict, QString::fromStdString(f->help), c);
    row->setObjectName("promise-" + c->id());
    c->show();
    const QString text = QString::fromStdString(f->label) + " " + measured;
    connect(row, &PromiseRow::clicked, this, [this, at, text] {
      if (at.squaredNorm() > 0) emit placeAsked(at, text);
    });
    box->addWidget(row);
  }
  // Estimate before, measured after.
  QString estimate;
  if (view.result && view.fresh) {
    estimate = tr("Measured: %1, %2")
                   .arg(QString::fromStdString(view.result->planned->summary),
                        QString::fromStdString(formatDuration(view.result->time->timing.total)));
    if (!s.is<GivenPathStep>()) // speed and feed of a given path stand in it
      estimate += tr(", %1 rpm, %2").arg(view.result->rpm, 0, 'f', 0).arg(QString::fromStdString(formatFeed(view.result->feed, desk_.unit())));
    if (const auto& e = view.result->effort; e && e->power > 0)
      estimate += tr("; about %1 N, %2 W, %3 N·m at most").arg(e->force, 0, 'f', 0).arg(e->power, 0, 'f', 0).arg(e->torque, 0, 'g', 2);
    if (view.result->efficiency > 0) estimate += tr(", path efficiency %1").arg(view.result->efficiency, 0, 'f', 2);
    for (const std::string& text : view.result->texts(Severity::Suggestion)) estimate += "\n" + QString::fromStdString(text);
    if (const auto& f = view.result->feeds; f && view.result->found(Code::OverLoad)) {
      const auto n = static_cast<int>(view.result->fedByLoad() ? f->remains.size() : f->over.size());
      estimate += "\n" + (n == 1 ? tr("Over a limit of the load at one place (N goes there)")
                                 : tr("Over limits of the load at %1 places (N goes there)").arg(n));
      if (!view.result->fedByLoad() && !s.is<GivenPathStep>())
        estimate += tr("; with feeds by the load %1").arg(QString::fromStdString(formatDuration(f->time)));
    }
  } else {
    try {
      const double spacing = estimatedSpacing(s, desk_.job().cutter(s.cutter));
      if (spacing > 0)
        estimate = tr("Estimate: passes %1 apart on level ground (closer on slopes by their cosine)")
                       .arg(QString::fromStdString(formatLength(spacing, desk_.unit())));
      if (const auto time = view.result ? estimatedTime(s, desk_.job().cutter(s.cutter), *view.result) : std::nullopt)
        estimate += tr("; %1 to %2, from the time measured before")
                        .arg(QString::fromStdString(formatDuration(time->least)), QString::fromStdString(formatDuration(time->most)));
    } catch (const Error&) {
    }
  }
  estimate_->setText(estimate);
  estimate_->setVisible(!estimate.isEmpty());
}

/// What a change of each row would cost, from what was measured of the step as it is.
void Brief::refreshCosts() {
  const StepView view = step_ < static_cast<int>(desk_.steps().size()) ? desk_.steps()[static_cast<std::size_t>(step_)] : StepView{};
  const Step& s = desk_.job().steps[static_cast<std::size_t>(step_)];
  for (Clause* c : clauses_) {
    const StepField* f = kindOf(s).field(c->id().toStdString());
    QString cost;
    if (f && view.result && view.fresh) {
      try {
        cost = QString::fromStdString(costOfChange(*f, desk_.job(), *view.result, desk_.unit()));
      } catch (const Error&) { // a cutter that is not there any more: nothing can be told of it
      }
    }
    const QString words = cost.isEmpty() ? QString() : tr("Estimate: %1.").arg(cost);
    if (f) c->setHelp(words.isEmpty() ? QString::fromStdString(f->help) : QString::fromStdString(f->help) + "\n" + words);
    if (QLabel* l = costs_.value(c->id())) {
      l->setText(words);
      l->setVisible(!words.isEmpty());
    }
  }
}

void Brief::rebuild() {
  for (Clause* c : clauses_) {
    c->setParent(nullptr);
    c->deleteLater();
  }
  clauses_.clear(), costs_.clear();
  const Step& s = desk_.job().steps[static_cast<std::size_t>(step_)];
  const auto fresh = [](QWidget* w) {
    qDeleteAll(w->findChildren<QWidget*>(Qt::FindDirectChildrenOnly));
    delete w->layout();
  };
  fresh(sentence_), fresh(promises_), fresh(rows_);
  const auto add = [&](const StepField& f, bool sentence) {
    auto* c = new Clause(desk_, valueOf(f, step_), sentence);
    connect(c, &Clause::refused, this, [this](const QString& m) {
      note_->setText(m);
      note_->show();
    });
    connect(c, &Clause::accepted, note_, &QWidget::hide);
    clauses_.push_back(c);
    return c;
  };
  auto* flow = new FlowLayout(5, sentence_);
  for (const std::string& words : kindOf(s).sentence(s)) {
    const QString piece = QString::fromStdString(words);
    if (piece.startsWith('{')) {
      const auto end = piece.indexOf('}');
      const StepField* f = kindOf(s).field(piece.mid(1, end - 1).toStdString());
      if (!f) continue;
      Clause* c = add(*f, true);
      if (end + 1 < piece.size()) { // what follows without a gap
        auto* after = new QLabel(piece.mid(end + 1));
        after->setObjectName("sentence");
        c->layout()->addWidget(after);
      }
      flow->addWidget(c);
    } else
      for (const QString& word : piece.split(' ')) {
        auto* l = new QLabel(word);
        l->setObjectName("sentence");
        flow->addWidget(l);
      }
  }
  auto* pinned = new QVBoxLayout(promises_);
  pinned->setContentsMargins(0, 0, 0, 0);
  pinned->setSpacing(0);
  auto* heading = new QHBoxLayout;
  heading->setContentsMargins(26, 0, 0, 0);
  auto* a = label(tr("promised"), "muted");
  heading->addSpacing(90);
  heading->addWidget(a);
  heading->addStretch(1);
  auto* b = new QLabel(tr("measured"));
  b->setObjectName("muted");
  heading->addWidget(b);
  pinned->addLayout(heading);
  auto* rows = new QVBoxLayout(rows_);
  rows->setContentsMargins(0, 0, 8, 0);
  rows->setSpacing(2);
  for (const StepField& f : kindOf(s).fields) {
    if (!f.row) continue;
    if (f.promise) {
      add(f, false)->setParent(promises_);
      continue;
    }
    auto* line = new QHBoxLayout;
    auto* name = new QLabel(QString::fromStdString(f.label));
    name->setObjectName("title");
    line->addWidget(name);
    line->addStretch(1);
    line->addWidget(add(f, false));
    rows->addLayout(line);
    rows->addWidget(label(QString::fromStdString(f.help), "muted"));
    rows->addWidget(costs_[QString::fromStdString(f.id)] = label({}, "cost"));
    rows->addSpacing(4);
  }
  rows->addStretch(1);
}

} // namespace hemline::app
