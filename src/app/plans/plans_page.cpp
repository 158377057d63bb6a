#include "plans/plans_page.h"
#include "theme.h"
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

namespace hemline::app {
namespace {

constexpr int kColumn = 236, kTitles = 110; // px
constexpr std::size_t kLimits = 4;          // lines of what holds a plan
constexpr int kTitleRows = 30;              // what holds all of them is below all rows

QLabel* cell(const QString& words, const char* name = "evidence") {
  auto* l = new QLabel(words);
  l->setObjectName(name);
  l->setWordWrap(true);
  l->setAlignment(Qt::AlignLeft | Qt::AlignTop);
  l->setTextInteractionFlags(Qt::TextSelectableByMouse);
  return l;
}

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

QString stepsOf(const Job& job) {
  QStringList out;
  for (const Step& s : job.steps) out << QString("%1: %2").arg(text(s.name), text(s.cutter));
  return out.join("\n");
}

QString limitsOf(const QStringList& limits) {
  if (limits.isEmpty()) return QObject::tr("nothing of its own");
  QStringList shown = limits.mid(0, kLimits);
  if (limits.size() > static_cast<qsizetype>(kLimits))
    shown << QObject::tr("and %1 more").arg(limits.size() - static_cast<qsizetype>(kLimits));
  return shown.join("\n");
}

} // namespace

PlansPage::PlansPage(Desk& desk, QWidget* parent) : QDialog(parent), desk_(desk), scroll_(new QScrollArea) {
  setObjectName("plans");
  setWindowTitle(tr("Plans side by side"));
  auto* all = new QVBoxLayout(this);
  auto* head = new QHBoxLayout;
  head->addWidget(
      cell(tr("Each is planned, cut and proven to its end on this job's stock. Forces and feeds are estimates; the supplier's data and "
              "the shop's experience stand above them."),
           "muted"),
      1);
  const auto button = [&](const QString& name, const QString& words, auto run) {
    auto* b = new QPushButton(words);
    b->setObjectName(name);
    connect(b, &QPushButton::clicked, this, run);
    head->addWidget(b, 0, Qt::AlignTop);
  };
  button("keepPlan", tr("Keep this plan as a variant"), [this] { desk_.keepPlan(tr("plan %1").arg(desk_.job().variants.size() + 1)); });
  button("proposePlans", tr("Propose plans"), [this] { emit proposeAsked(); });
  all->addLayout(head);
  scroll_->setWidgetResizable(true);
  scroll_->setFrameShape(QFrame::NoFrame);
  all->addWidget(scroll_, 1);
  connect(&desk_, &Desk::othersChanged, this, &PlansPage::refresh);
  connect(&desk_, &Desk::resultsChanged, this, &PlansPage::refresh);
  connect(&desk_, &Desk::unitChanged, this, &PlansPage::refresh);
  refresh();
  resize(std::min(1180, kTitles + 48 + kColumn * static_cast<int>(2 + desk_.others().size())), 640);
}

QWidget* PlansPage::buttons(int k, const OtherPlan& other) {
  auto* w = new QWidget;
  auto* rows = new QGridLayout(w);
  rows->setContentsMargins(0, 4, 0, 0);
  rows->setSpacing(6);
  const auto index = static_cast<std::size_t>(k - 1);
  const auto add = [&](const QString& name, const QString& words, bool on, auto run) {
    auto* b = new QPushButton(words);
    b->setObjectName(QString("%1 %2").arg(name).arg(k));
    b->setAccessibleName(tr("%1: %2").arg(words, other.name));
    b->setEnabled(on);
    connect(b, &QPushButton::clicked, this, run);
    rows->addWidget(b, rows->count() / 2, rows->count() % 2);
  };
  add("take", tr("Take this plan"), other.failure.isEmpty(), [this, index, name = other.name] {
    desk_.takeOther(index);
    emit told(tr("The job's plan is '%1' now; the one before is kept as a variant. Ctrl+Z takes it back.").arg(name));
  });
  add("look", tr("Look at it"), other.result != nullptr, [this, index] { emit lookAsked(index); });
  if (!other.kept) add("keep", tr("Keep it"), true, [this, index] { desk_.keepOther(index); });
  add("remove", other.kept ? tr("Remove it") : tr("Put it away"), true, [this, index] { desk_.removeOther(index); });
  return w;
}

void PlansPage::column(QGridLayout& grid, int k, const OtherPlan* other, const std::vector<FactRow>& rows, const QStringList& limits) {
  const int c = k + 1;
  grid.setColumnMinimumWidth(c, kColumn - 16);
  grid.setColumnStretch(c, 1);
  QString head = QString("<b>%1</b>").arg((other ? other->name : tr("the job's plan")).toHtmlEscaped());
  if (other) head += "<br>" + (other->kept ? tr("a variant") : other->proposed ? tr("proposed") : tr("not kept any more")).toHtmlEscaped();
  int r = 0;
  grid.addWidget(cell(head), r++, c);
  if (other) grid.addWidget(buttons(k, *other), r, c, Qt::AlignTop);
  ++r;
  grid.addWidget(cell(other ? other->why : QString(), "muted"), r++, c);
  grid.addWidget(cell(stepsOf(other ? other->job : desk_.job())), r++, c);
  grid.addWidget(cell(other ? other->mended.join("\n") : QString(), "muted"), r++, c);
  if (rows.empty()) {
    const QString why = other && !other->failure.isEmpty() ? tr("Cannot be computed. %1").arg(other->failure)
                        : desk_.computing()                ? tr("being computed")
                                                           : tr("not computed");
    grid.addWidget(cell(why, "muted"), r, c);
  }
  for (const FactRow& f : rows) {
    auto* l = cell(text(f.value) + (f.best ? tr("  ◂ best") : QString()));
    if (f.wrong) l->setStyleSheet("color: " + theme().broken.name());
    grid.addWidget(l, r++, c);
  }
  if (!rows.empty()) grid.addWidget(cell(limitsOf(limits)), r, c);
}

void PlansPage::refresh() {
  std::vector<PlanFacts> known;
  if (desk_.complete()) known.push_back(planFacts(desk_.job(), desk_.result()));
  for (const auto& o : desk_.others())
    if (o->result) known.push_back(o->facts);
  const auto rows = factRows(known, desk_.unit());
  auto* page = new QWidget;
  auto* grid = new QGridLayout(page);
  grid->setHorizontalSpacing(16);
  grid->setVerticalSpacing(6);
  QStringList titles{QString(), QString(), tr("what it is for"), tr("steps"), tr("mended")};
  for (const FactRow& f : rows.empty() ? factRows(PlanFacts{}, desk_.unit()) : rows.front()) titles << text(f.title);
  titles << tr("holds it");
  for (int r = 0; r < titles.size(); ++r) grid->addWidget(cell(titles[r], "muted"), r, 0);
  grid->setColumnMinimumWidth(0, kTitles);
  const auto limits = [&](const PlanFacts& f) {
    QStringList out;
    for (const std::string& l : ownLimits(f, known)) out << text(l);
    return out;
  };
  std::size_t next = 0;
  if (desk_.complete()) {
    column(*grid, 0, nullptr, rows[0], limits(known[0]));
    ++next;
  } else {
    column(*grid, 0, nullptr, {}, {});
  }
  for (std::size_t k = 0; k < desk_.others().size(); ++k) {
    const OtherPlan& o = *desk_.others()[k];
    if (o.result) {
      column(*grid, static_cast<int>(k) + 1, &o, rows[next], limits(o.facts));
      ++next;
    } else {
      column(*grid, static_cast<int>(k) + 1, &o, {}, {});
    }
  }
  if (known.size() > 1) {
    QStringList all;
    for (const std::string& l : commonLimits(known)) all << text(l);
    if (!all.isEmpty())
      grid->addWidget(cell(tr("All of them are held by: %1").arg(all.join("; ")), "muted"), kTitleRows + 1, 0, 1,
                      static_cast<int>(desk_.others().size()) + 2);
  }
  grid->setRowStretch(kTitleRows + 2, 1);
  scroll_->setWidget(page);
}

} // namespace hemline::app
