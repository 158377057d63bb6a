#include "stages/roughing_choice.h"
#include "brief/fields.h"
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <algorithm>

namespace hemline::app {
namespace {

constexpr int kColumn = 280; // px

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

QLabel* cell(const QString& words, const char* name, Qt::Alignment side = Qt::AlignLeft) {
  auto* l = new QLabel(words);
  l->setObjectName(name);
  l->setWordWrap(true);
  l->setAlignment(side | Qt::AlignTop);
  return l;
}

} // namespace

RoughingChoice::RoughingChoice(const std::vector<RoughingChain>& chains, LengthUnit unit, std::function<void(const RoughingChain&)> take,
                               QWidget* parent)
    : QDialog(parent) {
  setWindowTitle(tr("Roughing, three ways"));
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(16, 16, 16, 16);
  grid->setHorizontalSpacing(20);
  grid->setVerticalSpacing(10);
  auto* intro = cell(tr("Each was planned, cut and proven on this job's stock. Forces are estimates; the supplier's data and the shop's "
                        "experience stand above them."),
                     "muted");
  grid->addWidget(intro, 0, 0, 1, 3);
  const QStringList rows{tr("steps"),         tr("time"),  tr("stock left, most"), tr("stock left, mean"), tr("engagement"),
                         tr("largest force"), tr("limits")};
  for (int r = 0; r < rows.size(); ++r) grid->addWidget(cell(rows[r], "muted"), r + 2, 0);
  double fastest = kInfinity, least = kInfinity;
  for (const RoughingChain& c : chains)
    if (!c.failed) fastest = std::min(fastest, c.time), least = std::min(least, c.most);
  for (std::size_t k = 0; k < chains.size(); ++k) {
    const RoughingChain& c = chains[k];
    const int column = static_cast<int>(k) + 1;
    grid->setColumnMinimumWidth(column, kColumn);
    grid->setColumnStretch(column, 1);
    grid->addWidget(cell(QString("<b>%1</b><br>%2").arg(text(c.name).toHtmlEscaped(), text(c.why).toHtmlEscaped()), "evidence"), 1, column);
    QStringList steps, limits;
    for (std::size_t i = 0; i < c.steps; ++i)
      if (const auto* levels = c.job.steps[i].as<LevelRoughing>())
        steps
            << tr("%1: %2, levels %3").arg(text(c.job.steps[i].name), text(c.job.steps[i].cutter), plainLength(levels->depth, unit, false));
    for (const ChainLimit& l : c.limits) limits << text(l.text);
    QStringList values{steps.join("\n")};
    if (c.failed)
      values << tr("cannot be computed") << ""
             << ""
             << ""
             << "";
    else
      values << text(formatDuration(c.time)) + (c.time <= fastest ? tr(", the shortest") : QString())
             << text(formatLength(c.most, unit)) + (c.most <= least ? tr(", the least") : QString()) << text(formatLength(c.mean, unit))
             << tr("first step up to %1°").arg(degrees(c.engagement), 0, 'f', 0)
             << (c.force > 0 ? tr("about %1 N").arg(c.force, 0, 'f', 0) : tr("no material given"));
    values << (limits.isEmpty() ? tr("none: all promises kept") : limits.join("\n"));
    for (int r = 0; r < values.size(); ++r) grid->addWidget(cell(values[r], "evidence"), r + 2, column);
    if (c.failed) continue;
    auto* b = new QPushButton(tr("Take this one"));
    b->setObjectName("action");
    connect(b, &QPushButton::clicked, this, [this, c, take] {
      take(c);
      accept();
    });
    grid->addWidget(b, static_cast<int>(rows.size()) + 2, column);
  }
  grid->setRowStretch(static_cast<int>(rows.size()) + 3, 1);
  // Wrapped words need their height at this width.
  const int width = 140 + static_cast<int>(chains.size()) * (kColumn + 20);
  resize(width, grid->totalHeightForWidth(width));
}

} // namespace hemline::app
