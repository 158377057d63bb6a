// What is seen, for paper and for tables elsewhere: view, legend and trace as one picture; rows as a table on the clipboard.
#include "hem/hem.h"
#include "hem/trace_plot.h"
#include "job/report.h"
#include "ledger.h"
#include "model/promise_kinds.h"
#include "theme.h"
#include "view/legend.h"
#include "window.h"
#include <QClipboard>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QMimeData>
#include <QPainter>
#include <QPdfWriter>
#include <QSvgGenerator>

namespace hemline::app {
namespace {

constexpr int kHead = 34, kSharp = 2; // px; pixels of a PNG for one of the window

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

/// Rows of cells as text with tabs, and as a table.
void toClipboard(const QList<QStringList>& rows) {
  QString plain, html = "<table>";
  for (const QStringList& r : rows) {
    plain += r.join('\t') + '\n';
    html += "<tr>";
    for (const QString& c : r) html += "<td>" + c.toHtmlEscaped() + "</td>";
    html += "</tr>";
  }
  auto* data = new QMimeData;
  data->setText(plain);
  data->setHtml(html + "</table>");
  QGuiApplication::clipboard()->setMimeData(data);
}

} // namespace

/// View, legend and the hem below each other, under a line that says what they are of.
void Window::paintPicture(QPainter& p, const QImage& view, const QRectF& page) const {
  const double wide = hem_->width(), larger = wide / view_->width(), tall = larger * view_->height(); // the view as wide as the hem
  const double high = kHead + tall + hem_->height();
  const double scale = std::min(page.width() / wide, page.height() / high);
  p.translate(page.topLeft());
  p.scale(scale, scale);
  p.fillRect(QRectF(0, 0, wide, high), theme().panel);
  p.setPen(theme().ink);
  p.setFont(font());
  const int step = hem_->selected();
  const QString of = step >= 0 && step < static_cast<int>(desk_.job().steps.size())
                         ? text(desk_.job().steps[static_cast<std::size_t>(step)].name)
                         : QString();
  p.drawText(QRectF(12, 0, wide - 24, kHead), Qt::AlignVCenter | Qt::AlignLeft, tr("%1 · %2").arg(text(desk_.job().name), of));
  p.drawText(QRectF(12, 0, wide - 24, kHead), Qt::AlignVCenter | Qt::AlignRight, status_->text());
  p.drawImage(QRectF(0, kHead, wide, tall), view);
  p.save();
  p.translate(0, kHead);
  p.scale(larger, larger);
  for (QWidget* w : view_->findChildren<QWidget*>(Qt::FindDirectChildrenOnly)) {
    if (!w->isVisible()) continue;
    p.save();
    p.translate(w->pos());
    w->render(&p, {}, {}, QWidget::DrawChildren);
    p.restore();
  }
  p.restore();
  p.translate(0, kHead + tall);
  hem_->render(&p, {}, {}, QWidget::DrawChildren);
}

void Window::plotTraces() {
  if (!desk_.isOpen()) return tell(tr("Open a job first."), true);
  auto* plot = findChild<TracePlot*>();
  if (!plot) plot = new TracePlot(desk_, *hem_, this);
  const Trace now = static_cast<Trace>(traceBox_->currentData().toInt());
  plot->show(now == Trace::Clearance ? std::vector{now} : std::vector{now, Trace::Clearance});
  plot->raise();
  plot->activateWindow();
}

void Window::savePicture(const QString& file) {
  const QImage view = view_->grabFramebuffer();
  const QSize size(hem_->width(), kHead + view_->height() * hem_->width() / view_->width() + hem_->height());
  const QString ending = QFileInfo(file).suffix().toLower();
  const auto unwritten = [&] {
    throw Error(Fault::File, "The picture could not be written", file.toStdString(), "Choose another folder.");
  };
  if (ending == "pdf") {
    QPdfWriter pdf(file);
    pdf.setPageSize(QPageSize(QPageSize::A4));
    pdf.setPageOrientation(QPageLayout::Landscape);
    pdf.setTitle(text(desk_.job().name));
    QPainter p;
    if (!p.begin(&pdf)) unwritten();
    paintPicture(p, view, QRectF(0, 0, pdf.width(), pdf.height()));
  } else if (ending == "svg") {
    QSvgGenerator svg;
    svg.setFileName(file);
    svg.setSize(size);
    svg.setViewBox(QRect({}, size));
    svg.setTitle(text(desk_.job().name));
    QPainter p;
    if (!p.begin(&svg)) unwritten();
    paintPicture(p, view, QRectF({}, size));
  } else if (ending == "png") {
    QImage image(size * kSharp, QImage::Format_RGB32);
    QPainter p(&image);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    paintPicture(p, view, QRectF({}, image.size()));
    p.end();
    if (!image.save(file)) unwritten();
  } else {
    throw Error(Fault::NotUnderstood, "A picture is PNG, SVG or PDF", file.toStdString(), "Let its name end with .png, .svg or .pdf.");
  }
  tell(tr("The picture is in %1.").arg(file), false);
}

void Window::choosePicture() {
  if (!desk_.isOpen()) return tell(tr("Open a job first."), true);
  const QString f =
      QFileDialog::getSaveFileName(this, tr("Save the picture as"), QFileInfo(desk_.path()).path() + "/" + text(desk_.job().name) + ".png",
                                   tr("PNG (*.png);;SVG (*.svg);;PDF (*.pdf)"));
  if (!f.isEmpty()) savePicture(f);
}

/// What is in sight as rows: the ledger; in Plan all promises of all steps; else the evidence of the stage.
QList<QStringList> Window::rowsInSight() const {
  QList<QStringList> rows;
  if (centre_->currentIndex() == 1) {
    const QTableWidget& t = *ledger_->table();
    QStringList heads;
    for (int c = 0; c < t.columnCount(); ++c) heads << t.horizontalHeaderItem(c)->text();
    rows << heads;
    for (int r = 0; r < t.rowCount(); ++r) {
      QStringList cells;
      for (int c = 0; c < t.columnCount(); ++c) cells << (t.item(r, c) ? t.item(r, c)->text() : QString());
      rows << cells;
    }
  } else if (stage_ == Stage::Plan) {
    rows << QStringList{tr("step"), tr("promise"), tr("promised"), tr("measured"), tr("bound"), tr("verdict")};
    for (const StepView& v : desk_.steps())
      if (v.result)
        for (const PromiseResult& p : v.result->promises)
          rows << QStringList{text(v.result->step.name),
                              promiseKind(p.name).title,
                              text(showPromise(p.name, p.promised, desk_.unit())),
                              text(showPromise(p.name, p.measured, desk_.unit())),
                              text(showPromise(p.name, p.bound, desk_.unit())),
                              v.fresh ? QString(verdictName(p.verdict)) : tr("stale")};
  } else {
    const Evidence e = evidenceOf(desk_, stage_);
    rows << QStringList{e.headline};
    for (const EvidenceRow& r : e.rows) rows << QStringList{r.title, r.stale ? tr("stale: %1").arg(r.value) : r.value};
  }
  return rows;
}

void Window::copyTable() {
  if (!desk_.isOpen()) return tell(tr("Open a job first."), true);
  const auto rows = rowsInSight();
  toClipboard(rows);
  tell(tr("%1 rows are on the clipboard, as a table.").arg(rows.size()), false);
}

} // namespace hemline::app
