#include "hem/trace_plot.h"
#include "base/error.h"
#include "view/plots.h"
#include <QClipboard>
#include <QCoreApplication>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSvgGenerator>
#include <map>

namespace hemline::app {
namespace {

constexpr double kMarginLeft = 70; // px, the same for all, so that their times stand above each other

} // namespace

TracePlot::TracePlot(Desk& desk, Hem& hem, QWidget* parent)
    : QDialog(parent), desk_(desk), hem_(hem), list_(new QListWidget), plot_(new QCustomPlot) {
  setWindowTitle(tr("Traces"));
  setObjectName("tracePlot");
  resize(1000, 620);
  auto* box = new QHBoxLayout(this);
  auto* left = new QVBoxLayout;
  left->addWidget(new QLabel(tr("Below each other:")));
  list_->setAccessibleName(tr("Traces to show"));
  list_->setFixedWidth(190);
  list_->setObjectName("traces"); // padded items would draw their boxes twice
  list_->setSpacing(3);
  for (int k = 0; k < kTraces; ++k) {
    auto* item = new QListWidgetItem(traceName(static_cast<Trace>(k)), list_);
    item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
    item->setCheckState(Qt::Unchecked);
  }
  left->addWidget(list_, 1);
  const auto button = [&](const QString& text, auto run) {
    auto* b = new QPushButton(text);
    b->setAutoDefault(false);
    connect(b, &QPushButton::clicked, this, run);
    left->addWidget(b);
  };
  button(tr("All of the step"), [this] { rebuild(); });
  button(tr("Save as a picture…"), [this] {
    const QString f = QFileDialog::getSaveFileName(this, tr("Traces"), "traces.pdf", tr("Pictures (*.pdf *.svg *.png)"));
    if (f.isEmpty()) return;
    try {
      save(f);
    } catch (const Error& e) {
      emit desk_.failed(e);
    }
  });
  button(tr("Copy as a table"), [this] {
    QString out;
    for (const QStringList& r : rows()) out += r.join('\t') + '\n';
    QGuiApplication::clipboard()->setText(out);
  });
  button(tr("Close"), [this] { close(); });
  box->addLayout(left);
  box->addWidget(plot_, 1);
  plot_->setAccessibleName(tr("Plot of the traces"));
  plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
  connect(plot_, &QCustomPlot::mousePress, this, [this](QMouseEvent* e) {
    if (const auto* rect = plot_->axisRectAt(e->position())) hem_.scrub(rect->axis(QCPAxis::atBottom)->pixelToCoord(e->position().x()));
  });
  connect(list_, &QListWidget::itemChanged, this, &TracePlot::rebuild);
  connect(&hem_, &Hem::selectedStep, this, &TracePlot::rebuild);
  connect(&hem_, &Hem::scrubbed, this, &TracePlot::follow);
  connect(&desk_, &Desk::unitChanged, this, &TracePlot::rebuild);
  connect(&desk_, &Desk::resultsChanged, this, [this] {
    const auto& steps = desk_.steps();
    const auto k = static_cast<std::size_t>(std::max(0, hem_.selected()));
    if ((k < steps.size() ? steps[k].result : nullptr) != drawn_) rebuild();
  });
}

std::vector<Trace> TracePlot::chosen() const {
  std::vector<Trace> out;
  for (int k = 0; k < list_->count(); ++k)
    if (list_->item(k)->checkState() == Qt::Checked) out.push_back(static_cast<Trace>(k));
  return out;
}

void TracePlot::show(const std::vector<Trace>& traces) {
  {
    const QSignalBlocker quiet(list_);
    for (int k = 0; k < list_->count(); ++k)
      list_->item(k)->setCheckState(std::find(traces.begin(), traces.end(), static_cast<Trace>(k)) != traces.end() ? Qt::Checked
                                                                                                                   : Qt::Unchecked);
  }
  rebuild();
  QDialog::show();
}

void TracePlot::rebuild() {
  const Theme& t = theme();
  const auto& steps = desk_.steps();
  const auto step = static_cast<std::size_t>(std::max(0, hem_.selected()));
  drawn_ = step < steps.size() ? steps[step].result : nullptr;
  const StepResult* r = drawn_.get();
  plot_->clearPlottables(), plot_->clearItems(), cursors_.clear();
  plot_->plotLayout()->clear();
  plot_->setBackground(QBrush(t.panel));
  const double total = r ? r->time->timing.total : 1;
  const QString of = step < desk_.job().steps.size() ? QString::fromStdString(desk_.job().steps[step].name) : QString();
  setWindowTitle(tr("Traces of %1").arg(of));
  int row = 0;
  auto* head = new QCPTextElement(
      plot_, tr("%1 · %2%3").arg(QString::fromStdString(desk_.job().name), of, r && !steps[step].fresh ? tr(" · stale") : QString()),
      font());
  head->setTextColor(t.ink);
  plot_->plotLayout()->addElement(row++, 0, head);
  QCPAxis* first = nullptr;
  for (const Trace trace : chosen()) {
    const TraceLine line = traceOf(r, trace, desk_.unit());
    auto* name = new QCPTextElement(plot_, QString(), font());
    name->setTextColor(t.ink), name->setTextFlags(Qt::AlignLeft | Qt::AlignVCenter),
        name->setMargins({static_cast<int>(kMarginLeft), 6, 0, 0});
    plot_->plotLayout()->addElement(row++, 0, name);
    auto* rect = new QCPAxisRect(plot_, true);
    plot_->plotLayout()->addElement(row++, 0, rect);
    rect->setAutoMargins(QCP::msTop | QCP::msBottom | QCP::msRight);
    rect->setMargins({static_cast<int>(kMarginLeft), 0, 8, 0});
    rect->setRangeDrag(Qt::Horizontal), rect->setRangeZoom(Qt::Horizontal);
    QCPAxis *x = rect->axis(QCPAxis::atBottom), *y = rect->axis(QCPAxis::atLeft);
    for (QCPAxis* axis : rect->axes()) axis->setLayer("axes"), axis->grid()->setLayer("grid");
    dress(x), dress(y);
    x->setLabel(tr("s"));
    auto* graph = plot_->addGraph(x, y);
    graph->setPen(QPen(t.accent, 1));
    graph->setData(QVector<double>(line.time.begin(), line.time.end()), QVector<double>(line.value.begin(), line.value.end()), true);
    x->setRange(0, total);
    const double high = std::max(line.high, line.promise.value_or(line.high));
    y->setRange(line.low, high + 0.05 * (high - line.low));
    QString words = line.name;
    if (line.value.empty())
      words += tr(": not measured move by move in this step");
    else {
      const auto worst = line.leastIsWorst ? std::min_element(line.value.begin(), line.value.end())
                                           : std::max_element(line.value.begin(), line.value.end());
      const auto at = static_cast<std::size_t>(worst - line.value.begin());
      words += tr(": %1 %2 at %3")
                   .arg(line.leastIsWorst ? tr("least") : tr("most"))
                   .arg(*worst, 0, 'g', 4)
                   .arg(QString::fromStdString(formatDuration(line.time[at])));
      auto* dot = new QCPItemTracer(plot_);
      dot->setGraph(graph), dot->setGraphKey(line.time[at]);
      dot->setStyle(QCPItemTracer::tsCircle), dot->setSize(7), dot->setPen(QPen(t.ink, 1.5)), dot->setClipAxisRect(rect);
    }
    if (line.promise) {
      auto* promise = new QCPItemStraightLine(plot_);
      promise->setPen(QPen(t.broken, 1, Qt::DashLine)), promise->setClipAxisRect(rect);
      for (QCPItemPosition* p : {promise->point1, promise->point2}) p->setAxes(x, y);
      promise->point1->setCoords(0, *line.promise), promise->point2->setCoords(1, *line.promise);
      words += tr("; promised %1").arg(*line.promise, 0, 'g', 4);
    }
    name->setText(words);
    auto* cursor = new QCPItemStraightLine(plot_);
    cursor->setPen(QPen(t.ink, 1)), cursor->setClipAxisRect(rect);
    for (QCPItemPosition* p : {cursor->point1, cursor->point2}) p->setAxes(x, y);
    cursors_.push_back(cursor);
    // One time for all of them.
    if (first) {
      connect(x, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), first, qOverload<const QCPRange&>(&QCPAxis::setRange));
      connect(first, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), x, qOverload<const QCPRange&>(&QCPAxis::setRange));
    } else
      first = x;
  }
  follow();
}

void TracePlot::follow() {
  for (QCPItemStraightLine* c : cursors_) c->point1->setCoords(hem_.time(), 0), c->point2->setCoords(hem_.time(), 1);
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

void TracePlot::save(const QString& file) {
  const QString ending = QFileInfo(file).suffix().toLower();
  bool written = false;
  if (ending == "pdf")
    written = plot_->savePdf(file, 0, 0, QCP::epNoCosmetic, QCoreApplication::applicationName(), windowTitle());
  else if (ending == "svg") {
    QSvgGenerator svg;
    svg.setFileName(file), svg.setSize(plot_->size()), svg.setViewBox(QRect(QPoint(), plot_->size()));
    QCPPainter p;
    if (p.begin(&svg)) {
      p.setMode(QCPPainter::pmVectorized);
      plot_->toPainter(&p, plot_->width(), plot_->height());
      written = p.end();
    }
  } else if (ending == "png")
    written = plot_->savePng(file, 0, 0, 2);
  else
    throw Error(Fault::NotUnderstood, "A picture cannot be of the kind '" + ending.toStdString() + "'", file.toStdString(),
                "End the name in .png, .svg or .pdf.");
  if (!written || QFileInfo(file).size() == 0)
    throw Error(Fault::File, "The picture cannot be written", file.toStdString(), "Choose a folder that can be written to.");
}

QList<QStringList> TracePlot::rows() const {
  const auto traces = chosen();
  QStringList head{tr("time, s")};
  std::map<double, QStringList> by;
  for (std::size_t k = 0; k < traces.size(); ++k) {
    const TraceLine line = traceOf(drawn_.get(), traces[k], desk_.unit());
    head << line.name;
    for (std::size_t i = 0; i < line.time.size(); ++i) {
      QStringList& cells = by[line.time[i]];
      while (cells.size() < static_cast<qsizetype>(traces.size())) cells << QString();
      cells[static_cast<qsizetype>(k)] = QString::number(line.value[i], 'g', 6);
    }
  }
  QList<QStringList> out{head};
  for (const auto& [time, cells] : by) out << (QStringList{QString::number(time, 'f', 3)} + cells);
  return out;
}

} // namespace hemline::app
