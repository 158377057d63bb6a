#include "hem/hem.h"
#include "job/report.h"
#include "model/promise_kinds.h"
#include "theme.h"
#include <QApplication>
#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <cmath>

namespace hemline::app {
namespace {

constexpr double kLeast = 24;   // px: no step is narrower
constexpr double kPleat = 0.45; // share of the band above which a step is folded
constexpr double kLeft = 12, kUpperTop = 6, kUpperHeight = 30;
constexpr double kNear = 0.05;   // of a step's time: places over a limit that are nearer to each other are one snag
constexpr double kPlayRate = 20; // played seconds per second

/// Time at which the path comes nearest to a place.
double nearestTime(const StepResult& r, const Vec3& at) {
  const auto& l = r.planned->path.locations;
  double best = kInfinity, time = 0;
  for (std::size_t i = 0; i < l.size() && i < r.time->timing.at.size(); ++i) {
    const Vec3& p = l[i].normal.squaredNorm() > 0 ? l[i].contact : l[i].tip;
    if (const double d = (p - at).squaredNorm(); d < best) best = d, time = r.time->timing.at[i];
  }
  return time;
}

} // namespace

std::vector<Snag> findSnags(const Desk& desk) {
  std::vector<Snag> out;
  for (std::size_t i = 0; i < desk.steps().size(); ++i) {
    const StepResult* r = desk.steps()[i].result.get();
    if (!r) continue;
    for (const PromiseResult& p : r->promises)
      if (p.verdict == Verdict::Broken || p.verdict == Verdict::Unknown) {
        Snag s;
        s.step = static_cast<int>(i), s.at = p.at, s.time = nearestTime(*r, p.at);
        const QString title = QString::fromStdString(promiseTitle(p.name));
        s.text = p.verdict == Verdict::Broken ? QObject::tr("%1 is %2, promised %3")
                                                    .arg(title, QString::fromStdString(showPromise(p.name, p.measured, desk.unit())),
                                                         QString::fromStdString(showPromise(p.name, p.promised, desk.unit())))
                                              : QObject::tr("%1 is not known yet: bound %2, promised %3")
                                                    .arg(title, QString::fromStdString(showPromise(p.name, p.bound, desk.unit())),
                                                         QString::fromStdString(showPromise(p.name, p.promised, desk.unit())));
        s.row = QString::fromStdString(p.name);
        const double v = p.verdict == Verdict::Broken ? p.measured : p.bound;
        s.severity = promiseKind(p.name).larger ? p.promised / std::max(1e-6, v) : v / std::max(1e-9, p.promised);
        out.push_back(s);
      }
    for (const ClearanceResult* c : {r->clearance.get(), &r->cut->report.clearance}) {
      if (c->notClear.empty()) continue;
      const ClearanceFinding& f = c->notClear.front();
      Snag s;
      s.step = static_cast<int>(i), s.at = f.at, s.count = static_cast<int>(std::max<std::size_t>(1, c->unproven));
      s.time = r->time->timing.at[std::min(f.location, r->time->timing.at.size() - 1)];
      s.text = QObject::tr("not clear: %1").arg(QString::fromStdString(f.what));
      s.row = "stick_out_mm";
      s.severity = 1e12;
      out.push_back(s);
    }
  }
  for (std::size_t i = 0; i < desk.steps().size(); ++i) {
    const StepResult* r = desk.steps()[i].result.get();
    if (!r) continue;
    for (const Finding& f : r->findings) {
      if (f.severity() != Severity::Caution || f.code == Code::OverLoad) continue; // the load: place by place below
      Snag s;
      s.step = static_cast<int>(i), s.text = QString::fromStdString(findingText(f, desk.unit())), s.severity = 1;
      s.row = QString::fromStdString(f.field);
      out.push_back(s);
    }
    const auto load = std::find_if(r->findings.begin(), r->findings.end(), [](const Finding& f) { return f.code == Code::OverLoad; });
    if (load == r->findings.end()) continue;
    const double near = kNear * r->time->timing.total;
    const std::size_t begins = out.size();
    for (const Overload& o : r->fedByLoad() ? r->feeds->remains : r->feeds->over) {
      Snag s;
      s.step = static_cast<int>(i), s.row = QString::fromStdString(load->field), s.severity = o.times();
      s.text = QObject::tr("over a limit of the load: %1").arg(QString::fromStdString(overloadText(o)));
      s.at = r->planned->path.locations[o.location].tip, s.time = r->time->timing.at[o.location];
      if (out.size() > begins && s.time - out.back().time < near) {
        s.count = out.back().count + 1; // the worst of them stands for all
        if (s.severity > out.back().severity) out.back() = s;
        out.back().count = s.count;
        continue;
      }
      out.push_back(s);
    }
  }
  // What else can never be waived: limits, speeds, what a given program leaves to its machine.
  for (std::size_t i = 0; i < desk.steps().size(); ++i) {
    const StepResult* r = desk.steps()[i].result.get();
    if (!r) continue;
    for (const Finding& f : r->findings) {
      const bool above = f.code == Code::Collision || f.code == Code::RapidThroughStock || f.code == Code::NotShownClear;
      if (f.severity() != Severity::Blocker || above) continue;
      Snag s;
      s.step = static_cast<int>(i), s.text = QString::fromStdString(findingText(f, desk.unit())), s.severity = 1e12;
      s.row = QString::fromStdString(f.field);
      if (f.location) s.time = r->time->timing.at[std::min(*f.location, r->time->timing.at.size() - 1)];
      out.push_back(s);
    }
  }
  std::stable_sort(out.begin(), out.end(),
                   [](const Snag& a, const Snag& b) { return std::pair(a.step, a.time) < std::pair(b.step, b.time); });
  return out;
}

Hem::Hem(Desk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName("hem");
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAccessibleName(tr("Hem: steps in time"));
  connect(&desk_, &Desk::resultsChanged, this, &Hem::refresh);
  connect(&desk_, &Desk::jobChanged, this, &Hem::refresh);
  timer_.setInterval(40);
  connect(&timer_, &QTimer::timeout, this, [this] {
    const StepResult* r = result(selected_);
    if (!r) return timer_.stop();
    const double end = r->time->timing.total, next = time_ + kPlayRate * 0.04;
    scrub(std::min(end, next));
    if (next >= end) timer_.stop();
  });
  refresh();
}

const StepResult* Hem::result(int step) const {
  if (step < 0 || step >= static_cast<int>(desk_.steps().size())) return nullptr;
  return desk_.steps()[static_cast<std::size_t>(step)].result.get();
}

void Hem::refresh() {
  selected_ = std::clamp(selected_, 0, std::max(0, static_cast<int>(desk_.job().steps.size()) - 1));
  snags_ = findSnags(desk_);
  if (result(selected_) != traced_) {
    viewFrom_ = 0, viewTo_ = 1;
    if (const StepResult* r = result(selected_)) time_ = std::min(time_, r->time->timing.total);
    rebuildTrace();
  }
  layoutSteps();
  update();
}

void Hem::select(int step, double time) {
  selected_ = step;
  const StepResult* r = result(step);
  time_ = r ? std::clamp(time, 0.0, r->time->timing.total) : 0, viewFrom_ = 0, viewTo_ = 1;
  timer_.stop();
  rebuildTrace();
  layoutSteps();
  update();
  emit selectedStep(step);
}

void Hem::setTrace(Trace trace) {
  trace_ = trace;
  rebuildTrace();
  update();
}

void Hem::rebuildTrace() {
  traced_ = result(selected_);
  line_ = traceOf(traced_, trace_, desk_.unit());
}

void Hem::layoutSteps() {
  const std::size_t n = desk_.job().steps.size();
  blocks_.assign(n, {});
  pleated_.assign(n, 0);
  if (n == 0) return;
  const double room = width() - 2 * kLeft;
  std::vector<double> share(n, 0);
  double total = 0;
  for (std::size_t i = 0; i < n; ++i)
    if (const StepResult* r = result(static_cast<int>(i))) share[i] = r->time->timing.total, total += share[i];
  double used = 0;
  for (std::size_t i = 0; i < n; ++i) {
    double f = total > 0 ? share[i] / total : 1.0 / static_cast<double>(n);
    if (f > kPleat && n > 2) f = kPleat, pleated_[i] = 1;
    share[i] = std::max(kLeast, f * room);
    used += share[i];
  }
  double x = kLeft;
  for (std::size_t i = 0; i < n; ++i) {
    const double w = std::max(kLeast, share[i] * room / used);
    blocks_[i] = QRectF(x, kUpperTop, w - 2, kUpperHeight);
    x += w;
  }
}

QRectF Hem::lower() const {
  return QRectF(kLeft, kUpperTop + kUpperHeight + 18, width() - 2 * kLeft, height() - kUpperTop - kUpperHeight - 34);
}
double Hem::xOf(double time) const {
  const StepResult* r = result(selected_);
  const double total = r ? r->time->timing.total : 1;
  return lower().left() + (time / total - viewFrom_) / (viewTo_ - viewFrom_) * lower().width();
}
double Hem::timeAt(double x) const {
  const StepResult* r = result(selected_);
  const double total = r ? r->time->timing.total : 1;
  return std::clamp((viewFrom_ + (x - lower().left()) / lower().width() * (viewTo_ - viewFrom_)) * total, 0.0, total);
}

QRectF Hem::snagRect(std::size_t i) const {
  const Snag& s = snags_[i];
  if (s.step == selected_ && result(selected_)) return QRectF(xOf(s.time) - 7, lower().top() - 16, 14, 14);
  const QRectF& b = blocks_[static_cast<std::size_t>(s.step)];
  return QRectF(b.right() - 18, b.top() + 2, 14, 14);
}

void Hem::paintSteps(QPainter& p) const {
  const Theme& t = theme();
  for (std::size_t i = 0; i < blocks_.size(); ++i) {
    const QRectF& b = blocks_[i];
    const bool on = static_cast<int>(i) == selected_, fresh = i < desk_.steps().size() && desk_.steps()[i].fresh;
    const StepResult* r = result(static_cast<int>(i));
    p.setPen(QPen(on ? t.accent : t.hairline, on ? 2 : 1));
    p.setBrush(on ? t.window : t.panel);
    p.drawRoundedRect(b.adjusted(1, 1, -1, -1), 3, 3);
    const QString time =
        r ? QString::fromStdString(formatDuration(r->time->timing.total)) + (fresh ? "" : tr(" (stale)")) : tr("time not known");
    p.setPen(fresh ? t.ink : t.muted);
    const QString name = QString("%1  %2").arg(i + 1).arg(QString::fromStdString(desk_.job().steps[i].name));
    const double timeWidth = p.fontMetrics().horizontalAdvance(time) + 20;
    const QRectF inside = b.adjusted(8, 0, -6, 0);
    if (inside.width() > timeWidth + 60) {
      p.drawText(inside.adjusted(0, 0, -timeWidth, 0), Qt::AlignVCenter,
                 p.fontMetrics().elidedText(name, Qt::ElideRight, static_cast<int>(inside.width() - timeWidth)));
      p.setPen(t.muted);
      p.drawText(inside.adjusted(0, 0, -16, 0), Qt::AlignVCenter | Qt::AlignRight, time);
    } else
      p.drawText(b, Qt::AlignCenter, p.fontMetrics().elidedText(name, Qt::ElideRight, static_cast<int>(b.width() - 4)));
    if (pleated_[i]) { // a fold
      p.setPen(t.muted);
      for (const double k : {0.0, 4.0, 8.0})
        p.drawLine(QPointF(b.center().x() + k, b.top() + 3), QPointF(b.center().x() + k - 4, b.bottom() - 3));
    }
  }
}

/// Each pixel keeps its worst value: the least for the feed, the largest otherwise.
void Hem::paintTrace(QPainter& p, const QRectF& low) const {
  const Theme& t = theme();
  const int w = static_cast<int>(low.width());
  std::vector<double> worst(static_cast<std::size_t>(std::max(1, w)), std::numeric_limits<double>::quiet_NaN());
  for (std::size_t i = 0; i < line_.time.size(); ++i) {
    const int k = static_cast<int>(xOf(line_.time[i]) - low.left());
    if (k < 0 || k >= w) continue;
    double& v = worst[static_cast<std::size_t>(k)];
    if (std::isnan(v) || (line_.leastIsWorst ? line_.value[i] < v : line_.value[i] > v)) v = line_.value[i];
  }
  p.setPen(QPen(t.accent, 1));
  QPointF before;
  bool have = false;
  for (int k = 0; k < w; ++k) {
    const double v = worst[static_cast<std::size_t>(k)];
    if (std::isnan(v)) continue;
    const QPointF at(low.left() + k, low.bottom() - 2 - (v - line_.low) / (line_.high - line_.low) * (low.height() - 4));
    if (have && at.x() - before.x() < 40) p.drawLine(before, at);
    before = at, have = true;
  }
  if (line_.promise && *line_.promise <= line_.high) {
    const double y = low.bottom() - 2 - (*line_.promise - line_.low) / (line_.high - line_.low) * (low.height() - 4);
    p.setPen(QPen(t.broken, 1, Qt::DashLine));
    p.drawLine(QPointF(low.left(), y), QPointF(low.right(), y));
  }
  p.setPen(t.muted);
  const QString most = QString::number(line_.high, 'f', line_.high > 20 ? 0 : line_.high > 2 ? 1 : 3);
  p.fillRect(QRectF(low.left() + 1, low.top() + 1, p.fontMetrics().horizontalAdvance(most) + 6, 15), t.window);
  p.drawText(low.adjusted(4, 1, -4, 0), Qt::AlignTop | Qt::AlignLeft, most);
}

void Hem::paintTimes(QPainter& p, const QRectF& low, double total) const {
  const double span = total * (viewTo_ - viewFrom_);
  for (int k = 0; k <= 5; ++k) {
    const double time = viewFrom_ * total + span * k / 5;
    const QRectF box(xOf(time) - 60, low.bottom() + 1, 120, 14);
    p.drawText(k == 0   ? box.translated(60, 0)
               : k == 5 ? box.translated(-60, 0)
                        : box,
               k == 0   ? Qt::AlignLeft
               : k == 5 ? Qt::AlignRight
                        : Qt::AlignHCenter,
               QString::fromStdString(formatDuration(std::round(time))));
  }
}

void Hem::paintSnags(QPainter& p, const QRectF& low) const {
  const Theme& t = theme();
  for (std::size_t i = 0; i < snags_.size(); ++i) {
    const QRectF box = snagRect(i);
    paintVerdict(p, box, 1);
    if (snags_[i].step == selected_) {
      p.setPen(QPen(t.broken, 1, Qt::DotLine));
      p.drawLine(QPointF(box.center().x(), low.top()), QPointF(box.center().x(), low.bottom()));
      if (snags_[i].count > 1) {
        p.setPen(t.ink);
        p.drawText(QRectF(box.right() + 1, box.top() - 1, 60, 16), Qt::AlignLeft, QString::number(snags_[i].count));
      }
    }
  }
}

void Hem::paintEvent(QPaintEvent*) {
  if (blocks_.size() != desk_.job().steps.size() || (!blocks_.empty() && std::abs(blocks_.back().right() + 2 + kLeft - width()) > 40))
    layoutSteps();
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.fillRect(rect(), t.panel);
  p.setPen(t.hairline);
  p.drawLine(0, 0, width(), 0);
  paintSteps(p);
  if (height() >= 60) paintLower(p); // folded: the upper band only
  paintDrag(p);
  if (hasFocus()) {
    p.setPen(QPen(t.accent, 1, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    p.drawRect(rect().adjusted(2, 2, -3, -3));
  }
}

/// The selected step to scale.
void Hem::paintLower(QPainter& p) const {
  const Theme& t = theme();
  const QRectF low = lower();
  p.setPen(t.muted);
  const StepResult* r = result(selected_);
  const int nameWidth = static_cast<int>(low.width()) - 220;
  const QString name = r ? line_.name : tr("time not known: not computed yet");
  // On the right where snags stand in its way on the left.
  const double end = low.left() + 20 + p.fontMetrics().horizontalAdvance(name);
  bool aside = false;
  for (std::size_t i = 0; i < snags_.size(); ++i) aside = aside || (snags_[i].step == selected_ && r && snagRect(i).left() < end);
  p.drawText(QRectF(low.left() + 14, low.top() - 17, nameWidth - 14, 16), aside ? Qt::AlignRight : Qt::AlignLeft, name);
  p.setPen(t.hairline);
  p.setBrush(t.window);
  p.drawRect(low);
  if (!r) return;
  if (line_.value.empty()) {
    p.setPen(t.muted);
    p.drawText(low, Qt::AlignCenter, tr("not measured move by move in this step"));
  }
  paintTrace(p, low);
  paintTimes(p, low, r->time->timing.total);
  paintSnags(p, low);
  p.setPen(QPen(t.ink, 1.6));
  const double x = xOf(time_);
  if (x >= low.left() - 1 && x <= low.right() + 1) {
    p.drawLine(QPointF(x, low.top() - 2), QPointF(x, low.bottom() + 2));
    p.setBrush(t.ink);
    p.drawPolygon(QPolygonF{QPointF(x - 5, low.top() - 7), QPointF(x + 5, low.top() - 7), QPointF(x, low.top())});
  }
}

void Hem::scrub(double time) {
  const StepResult* r = result(selected_);
  if (!r) return;
  time_ = std::clamp(time, 0.0, r->time->timing.total);
  update();
  emit scrubbed(selected_, time_, timer_.isActive());
}

void Hem::play(bool on) {
  const StepResult* r = result(selected_);
  if (on && r && time_ >= r->time->timing.total) time_ = 0;
  if (on && r)
    timer_.start();
  else
    timer_.stop();
}

void Hem::nextSnag() {
  if (snags_.empty()) return;
  snagAt_ = (snagAt_ + 1) % snags_.size();
  const Snag s = snags_[snagAt_];
  if (s.step != selected_)
    select(s.step, s.time);
  else
    scrub(s.time);
  emit snagChosen(s);
}

void Hem::stepLocation(int by) {
  const StepResult* r = result(selected_);
  if (!r) return;
  const auto& at = r->time->timing.at;
  const auto i = std::lower_bound(at.begin(), at.end(), time_ - 1e-9) - at.begin() + by;
  scrub(at[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(i, 0, static_cast<std::ptrdiff_t>(at.size()) - 1))]);
}

void Hem::mousePressEvent(QMouseEvent* e) {
  for (std::size_t i = 0; i < snags_.size(); ++i)
    if (snagRect(i).adjusted(-3, -3, 3, 3).contains(e->position())) {
      snagAt_ = i;
      const Snag s = snags_[i];
      if (s.step != selected_)
        select(s.step, s.time);
      else
        scrub(s.time);
      emit snagChosen(s);
      return;
    }
  for (std::size_t i = 0; i < blocks_.size(); ++i)
    if (blocks_[i].contains(e->position())) {
      if (e->button() == Qt::LeftButton) dragged_ = static_cast<int>(i), dropAt_ = -1, pressed_ = e->position();
      select(static_cast<int>(i));
      return;
    }
  if (lower().adjusted(-4, -18, 4, 16).contains(e->position())) scrub(timeAt(e->position().x()));
}

void Hem::contextMenuEvent(QContextMenuEvent* e) {
  for (std::size_t i = 0; i < blocks_.size(); ++i) {
    if (!blocks_[i].contains(e->pos())) continue;
    const QString name = QString::fromStdString(desk_.job().steps[i].name);
    QMenu menu(this);
    const auto add = [&](const QString& words, std::size_t place) {
      connect(menu.addAction(words), &QAction::triggered, this, [this, place] { emit addAsked(static_cast<int>(place)); });
    };
    add(tr("Add a step before '%1'…").arg(name), i);
    add(tr("Add a step after '%1'…").arg(name), i + 1);
    menu.exec(e->globalPos());
    return;
  }
}

/// It goes before the block whose left half the pointer is over, else after it.
void Hem::drag(const QPointF& at) {
  dropAt_ = static_cast<int>(blocks_.size());
  for (std::size_t i = blocks_.size(); i-- > 0;)
    if (at.x() < blocks_[i].center().x()) dropAt_ = static_cast<int>(i);
  const QStringList means = desk_.moveMeans(dragged_, dropAt_, breaks_);
  means_ = means.isEmpty() ? tr("It stays where it is.") : means.join("\n");
  update();
}

void Hem::drop(bool take) {
  const int from = std::exchange(dragged_, -1), place = std::exchange(dropAt_, -1);
  means_.clear();
  update();
  if (!take || from < 0 || place < 0 || place == from || place == from + 1) return;
  desk_.moveStep(from, place);
  select(place > from ? place - 1 : place);
}

/// Where it would go, and over the lower band what that means.
void Hem::paintDrag(QPainter& p) const {
  if (dropAt_ < 0 || blocks_.empty()) return;
  const Theme& t = theme();
  const auto at = static_cast<std::size_t>(dropAt_);
  const double x = at < blocks_.size() ? blocks_[at].left() - 2 : blocks_.back().right() + 1;
  p.setPen(QPen(t.accent, 3));
  p.drawLine(QPointF(x, kUpperTop - 2), QPointF(x, kUpperTop + kUpperHeight + 2));
  const QRectF card = lower().adjusted(0, -16, 0, 14);
  p.setPen(t.hairline);
  p.setBrush(t.panel);
  p.drawRect(card);
  p.setPen(breaks_ ? t.broken : t.ink);
  p.drawText(card.adjusted(10, 6, -10, -6), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, means_);
}

void Hem::mouseReleaseEvent(QMouseEvent*) {
  drop(dropAt_ >= 0);
}

void Hem::mouseMoveEvent(QMouseEvent* e) {
  if ((e->buttons() & Qt::LeftButton) && dragged_ >= 0) {
    if (dropAt_ >= 0 || (e->position() - pressed_).manhattanLength() >= QApplication::startDragDistance()) drag(e->position());
    return;
  }
  if ((e->buttons() & Qt::LeftButton) && lower().adjusted(-40, -30, 40, 30).contains(e->position())) scrub(timeAt(e->position().x()));
}

void Hem::wheelEvent(QWheelEvent* e) {
  const double x = (e->position().x() - lower().left()) / lower().width(), at = viewFrom_ + x * (viewTo_ - viewFrom_);
  const double span = std::clamp((viewTo_ - viewFrom_) * std::pow(0.998, e->angleDelta().y()), 1e-4, 1.0);
  viewFrom_ = std::clamp(at - x * span, 0.0, 1 - span);
  viewTo_ = viewFrom_ + span;
  update();
}

void Hem::keyPressEvent(QKeyEvent* e) {
  switch (e->key()) {
  case Qt::Key_Space:
    play(!playing());
    break;
  case Qt::Key_Right:
    stepLocation(e->modifiers() & Qt::ShiftModifier ? 100 : 1);
    break;
  case Qt::Key_Left:
    stepLocation(e->modifiers() & Qt::ShiftModifier ? -100 : -1);
    break;
  case Qt::Key_Home:
    scrub(0);
    break;
  case Qt::Key_End:
    scrub(kInfinity);
    break;
  case Qt::Key_N:
    nextSnag();
    break;
  case Qt::Key_Escape:
    drop(false);
    break;
  default:
    QWidget::keyPressEvent(e);
  }
}

bool Hem::event(QEvent* e) {
  if (e->type() == QEvent::Resize) layoutSteps();
  if (e->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(e);
    for (std::size_t i = 0; i < snags_.size(); ++i)
      if (snagRect(i).contains(help->pos())) {
        QToolTip::showText(help->globalPos(), snags_[i].text, this);
        return true;
      }
    QToolTip::hideText();
    return true;
  }
  return QWidget::event(e);
}

} // namespace hemline::app
