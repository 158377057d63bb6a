#include "plans/hours_plot.h"
#include "brief/fields.h"
#include "view/plots.h"
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace hemline::app {
namespace {

constexpr double kMinute = 60, kHour = 3600; // s
constexpr double kKeyStep = 1.05;            // times the cusp, for an arrow key

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

} // namespace

HoursPlot::HoursPlot(Desk& desk, std::size_t step, HoursOfCusp hours, QWidget* parent)
    : QDialog(parent), desk_(desk), step_(step), hours_(std::move(hours)), chosen_(hours_.promised), plot_(new QCustomPlot),
      words_(new QLabel), take_(new QPushButton(tr("Promise this cusp"))) {
  setObjectName("hours");
  setWindowTitle(tr("Hours against cusp: '%1'").arg(text(desk_.job().steps.at(step_).name)));
  auto* all = new QVBoxLayout(this);
  auto* head = new QLabel(
      tr("What other cusps would take: the least path that each allows on this ground, longer by what the step's own passes are longer "
         "than theirs. Estimates, within some 15 %. Click a cusp, or step with ← and →."));
  head->setObjectName("muted");
  head->setWordWrap(true);
  all->addWidget(head);
  plot_->setAccessibleName(tr("Hours against cusp"));
  plot_->setFocusPolicy(Qt::NoFocus);
  all->addWidget(plot_, 1);
  auto* foot = new QHBoxLayout;
  words_->setObjectName("hoursWords");
  words_->setWordWrap(true);
  foot->addWidget(words_, 1);
  take_->setObjectName("takeCusp");
  take_->setAutoDefault(false);
  foot->addWidget(take_);
  auto* close = new QPushButton(tr("Leave it as it is"));
  close->setAutoDefault(false);
  foot->addWidget(close);
  all->addLayout(foot);
  connect(close, &QPushButton::clicked, this, &QDialog::close);
  connect(plot_, &QCustomPlot::mousePress, this, [this](QMouseEvent* e) { choose(plot_->xAxis->pixelToCoord(e->position().x())); });
  connect(take_, &QPushButton::clicked, this, [this] {
    const QString cusp = plainLength(chosen_, desk_.unit(), true);
    Desk& edited = desk_;
    const std::size_t of = step_;
    const double promised = chosen_;
    emit told(tr("The step promises a cusp of %1 now. Ctrl+Z takes it back.").arg(cusp));
    edited.edit(tr("promise a cusp of %1").arg(cusp), [&](Job& j) { j.steps.at(of).promises.cusp = promised; }); // closes the plot
  });
  connect(&desk_, &Desk::jobChanged, this, &QDialog::close); // it is of the step as it was
  connect(&desk_, &Desk::unitChanged, this, &HoursPlot::draw);
  draw();
  resize(760, 520);
}

void HoursPlot::draw() {
  const Theme& t = theme();
  const auto& points = hours_.points;
  plot_->clearPlottables(), plot_->clearItems();
  plot_->setBackground(QBrush(t.panel));
  const bool inch = desk_.unit() == LengthUnit::Inch;
  const bool inHours = points.front().time > 2 * kHour;
  const double unit = inHours ? kHour : kMinute;
  QVector<double> x, y;
  const auto labels = QSharedPointer<QCPAxisTickerText>::create();
  for (const HoursOfCusp::Point& p : points) {
    x << p.cusp, y << p.time / unit;
    labels->addTick(p.cusp, QString::number(inch ? p.cusp / kInch : 1e3 * p.cusp, 'g', 3));
  }
  auto* curve = plot_->addGraph();
  curve->setPen(QPen(t.accent, 2));
  curve->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, t.accent, 6));
  curve->setData(x, y, true);
  dress(plot_->xAxis), dress(plot_->yAxis);
  plot_->xAxis->setScaleType(QCPAxis::stLogarithmic);
  plot_->xAxis->setTicker(labels);
  plot_->xAxis->setLabel(inch ? tr("cusp, in") : tr("cusp, µm"));
  plot_->yAxis->setLabel(inHours ? tr("time, h") : tr("time, min"));
  plot_->xAxis->setRange(0.93 * points.front().cusp, 1.07 * points.back().cusp);
  plot_->yAxis->setRange(0, 1.08 * points.front().time / unit);
  const auto mark = [&](double cusp, const QString& words, Qt::PenStyle style) {
    auto* line = new QCPItemLine(plot_);
    line->start->setCoords(cusp, 0), line->end->setCoords(cusp, plot_->yAxis->range().upper);
    line->setPen(QPen(t.ink, 1, style));
    auto* label = new QCPItemText(plot_);
    label->setText(words), label->setColor(t.ink), label->setFont(font());
    label->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop), label->setPadding({5, 2, 0, 0});
    label->position->setCoords(cusp, plot_->yAxis->range().upper * (style == Qt::SolidLine ? 1 : 0.92));
  };
  mark(hours_.promised, tr("promised"), Qt::SolidLine);
  if (hours_.knee) mark(*hours_.knee, tr("knee: from here on twice the cusp saves less than a fifth"), Qt::DashLine);
  tracer_ = new QCPItemTracer(plot_);
  tracer_->setGraph(curve), tracer_->setInterpolating(true);
  tracer_->setStyle(QCPItemTracer::tsCircle), tracer_->setSize(12), tracer_->setPen(QPen(t.ink, 2));
  choose(chosen_);
}

void HoursPlot::choose(double cusp) {
  chosen_ = std::clamp(cusp, hours_.points.front().cusp, hours_.points.back().cusp);
  if (std::abs(chosen_ / hours_.promised - 1) < 0.02) chosen_ = hours_.promised;
  if (chosen_ != hours_.promised) { // as one would type it
    const double unit = desk_.unit() == LengthUnit::Inch ? kInch * 1e-6 : 1e-4;
    chosen_ = std::round(chosen_ / unit) * unit;
  }
  const double time = hours_.timeAt(chosen_), now = hours_.timeAt(hours_.promised);
  QString words = tr("Cusp %1: about %2").arg(plainLength(chosen_, desk_.unit(), true), text(formatDuration(time)));
  if (chosen_ != hours_.promised)
    words += time < now ? tr(", %1 less than promised now").arg(text(formatDuration(now - time)))
                        : tr(", %1 more than promised now").arg(text(formatDuration(time - now)));
  else
    words += tr(", as promised now");
  words_->setText(words + ".");
  take_->setEnabled(chosen_ != hours_.promised);
  tracer_->setGraphKey(chosen_);
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

void HoursPlot::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Left)
    choose(chosen_ / kKeyStep);
  else if (e->key() == Qt::Key_Right)
    choose(chosen_ * kKeyStep);
  else
    QDialog::keyPressEvent(e);
}

} // namespace hemline::app
