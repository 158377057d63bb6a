#include "plans/patterns_page.h"
#include "brief/fields.h"
#include "steps/placed_step.h"
#include "theme.h"
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

namespace hemline::app {
namespace {

constexpr QSize kPicture(150, 88);
constexpr int kPasses = 16; // that are drawn; more would fill the ground

QLabel* cell(const QString& words, const char* name, Qt::Alignment side = Qt::AlignLeft) {
  auto* l = new QLabel(words);
  l->setObjectName(name);
  l->setWordWrap(true);
  l->setAlignment(side | Qt::AlignVCenter);
  l->setTextInteractionFlags(Qt::TextSelectableByMouse);
  return l;
}

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

/// Some of the passes, where they face the eye.
QImage passesPicture(const PartDrawing& drawing, const Path& path, Progress& progress) {
  const Theme& t = theme();
  return drawing.image(t.ink, [&](QPainter& p) {
    progress.check();
    p.setPen(QPen(t.accent, 0.7));
    QVector<QLineF> lines;
    int last = 0;
    for (const Location& l : path.locations) last = std::max(last, l.pass);
    const int each = std::max(1, last / kPasses);
    for (std::size_t i = 1; i < path.locations.size(); ++i) {
      const Location &a = path.locations[i - 1], &b = path.locations[i];
      if (b.motion == Motion::Cut && b.pass % each == 0 && drawing.faces(b.normal))
        lines << QLineF(drawing.at(a.contact), drawing.at(b.contact));
    }
    p.drawLines(lines);
  });
}

} // namespace

PatternsPage::PatternsPage(Desk& desk, std::size_t step, QWidget* parent)
    : QDialog(parent), desk_(desk), step_(step), state_(cell({}, "muted")), scroll_(new QScrollArea) {
  setObjectName("patterns");
  const Step& s = desk_.job().steps.at(step_);
  setWindowTitle(tr("Finishing patterns for '%1'").arg(text(s.name)));
  auto* all = new QVBoxLayout(this);
  all->addWidget(
      cell(tr("Each is planned and measured on the step's ground with its cutter, axis and cusp of %1. Take the one whose lines may be "
              "seen on the part: the fastest is not always it.")
               .arg(plainLength(*s.promises.cusp, desk_.unit(), true)),
           "evidence"));
  scroll_->setWidgetResizable(true);
  scroll_->setFrameShape(QFrame::NoFrame);
  all->addWidget(scroll_, 1);
  auto* foot = new QHBoxLayout;
  foot->addWidget(state_, 1);
  auto* close = new QPushButton(tr("Leave it as it is"));
  close->setObjectName("leave");
  connect(close, &QPushButton::clicked, this, &QDialog::close);
  foot->addWidget(close, 0, Qt::AlignBottom);
  all->addLayout(foot);
  connect(&desk_, &Desk::patternFound, this, &PatternsPage::add);
  connect(&desk_, &Desk::patternsFound, this, [this] {
    planning_ = false;
    refresh();
  });
  connect(&desk_, &Desk::failed, this, [this] {
    if (!std::exchange(planning_, false)) return;
    refresh();
    state_->setText(desk_.lastError());
  });
  connect(&desk_, &Desk::progressed, this, [this] {
    if (planning_) state_->setText(desk_.computing() ? tr("planning: %1").arg(desk_.doing()) : desk_.lastError());
  });
  connect(&desk_, &Desk::jobChanged, this, &QDialog::close); // they are of the job as it was
  refresh();
  resize(1040, 640);
}

void PatternsPage::add(const FinishWay& way) {
  auto* picture = new QLabel(this);
  picture->setFixedSize(kPicture);
  picture->setAccessibleName(tr("Drawing of %1 on this part").arg(text(way.name)));
  picture->hide();
  if (way.planned && desk_.part())
    pictures_.make(picture,
                   [this, part = desk_.part(), planned = way.planned, up = placeStep(desk_.job(), way.step).step.axis](Progress& progress) {
                     if (!drawing_) drawing_ = std::make_unique<PartDrawing>(part, up, kPicture);
                     return passesPicture(*drawing_, planned->path, progress);
                   });
  const auto better = [](const FinishWay& a, const Row& b) { return betterWay(a, b.way); };
  rows_.insert(std::upper_bound(rows_.begin(), rows_.end(), way, better), {way, picture});
  refresh();
}

void PatternsPage::take(const FinishWay& way) {
  const QString name = text(way.name);
  Desk& desk = desk_;
  const std::size_t step = step_;
  emit told(tr("The step takes %1 now. Ctrl+Z takes it back.").arg(name));
  desk.edit(tr("finish by %1").arg(name), [&](Job& j) { j.steps.at(step) = way.step; }); // closes the page
}

void PatternsPage::fill(QGridLayout& grid, int r, const Row& row, bool best) {
  const FinishWay& way = row.way;
  grid.addWidget(row.picture, r, 0);
  row.picture->show();
  QString name = QString("<b>%1</b>").arg(text(way.name).toHtmlEscaped());
  if (best) name += tr("<br>the fastest that keeps the cusp");
  grid.addWidget(cell(name, "evidence"), r, 1);
  if (!way.failure.empty()) {
    auto* why = cell(tr("Cannot be planned. %1").arg(text(way.failure)), "muted");
    grid.addWidget(why, r, 2, 1, 7);
    return;
  }
  const LengthUnit unit = desk_.unit();
  const auto path = [&](double mm) {
    return unit == LengthUnit::Inch ? tr("%1 in").arg(mm / kInch, 0, 'f', 0) : tr("%1 m").arg(mm / 1000, 0, 'f', mm < 1e4 ? 2 : 1);
  };
  int c = 2;
  for (const QString& words : {text(formatDuration(way.time)), path(way.path), path(way.links), tr("%1 %").arg(100 * way.share, 0, 'f', 0),
                               QString::number(way.pieces), QString::number(way.turns)})
    grid.addWidget(cell(words, "evidence", Qt::AlignRight), r, c++);
  auto* over = cell(way.over > 0 ? tr("%1 %").arg(100 * way.over, 0, 'g', 2) : tr("none"), "evidence", Qt::AlignRight);
  if (way.over > 0) over->setStyleSheet("color: " + theme().broken.name());
  grid.addWidget(over, r, c++);
  if (way.own) return;
  auto* b = new QPushButton(tr("Take it"));
  b->setObjectName("take " + text(way.name));
  b->setAccessibleName(tr("Take %1").arg(text(way.name)));
  connect(b, &QPushButton::clicked, this, [this, way] { take(way); });
  grid.addWidget(b, r, c);
}

void PatternsPage::refresh() {
  auto* page = new QWidget;
  auto* grid = new QGridLayout(page);
  grid->setHorizontalSpacing(16);
  grid->setVerticalSpacing(8);
  grid->setColumnStretch(1, 1);
  const QStringList titles{tr("time"),   tr("path"),        tr("ways between"), tr("of the least\npath"),
                           tr("pieces"), tr("sharp turns"), tr("over the cusp")};
  for (int k = 0; k < titles.size(); ++k) grid->addWidget(cell(titles[k], "muted", Qt::AlignRight), 0, k + 2);
  int r = 1;
  for (const Row& row : rows_) {
    fill(*grid, r, row, r == 1 && row.way.failure.empty() && row.way.over == 0 && !planning_);
    ++r;
  }
  grid->setRowStretch(r, 1);
  scroll_->setWidget(page);
  if (!planning_) state_->setText(rows_.empty() ? QString() : text(coarsenessText(rows_.front().way)));
}

} // namespace hemline::app
