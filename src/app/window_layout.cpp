// How the window is put together.
#include "ledger.h"
#include "stages/assumptions.h"
#include "stages/microscope_card.h"
#include "start/start_page.h"
#include "tally.h"
#include "theme.h"
#include "window.h"
#include <QScrollArea>

namespace hemline::app {

/// Errors and offers, under the top line, until they are put away.
QWidget* Window::buildMessages() {
  messageBar_ = new QWidget;
  messageBar_->setObjectName("panel");
  auto* bar = new QHBoxLayout(messageBar_);
  bar->setContentsMargins(12, 4, 8, 4);
  message_ = namedLabel("message");
  messageAction_ = new QPushButton;
  messageAction_->setObjectName("messageAction");
  connect(messageAction_, &QPushButton::clicked, this, [this] {
    const auto run = messageRun_;
    messageBar_->hide();
    if (run) run();
  });
  auto* away = new QPushButton(tr("Put away"));
  connect(away, &QPushButton::clicked, messageBar_, &QWidget::hide);
  bar->addWidget(message_, 1);
  bar->addWidget(messageAction_);
  bar->addWidget(away);
  messageBar_->hide();
  return messageBar_;
}

/// What an ended window left stays offered until it is taken or refused, whatever else is told.
QWidget* Window::buildLeftCopies() {
  leftBar_ = new QWidget;
  leftBar_->setObjectName("panel");
  auto* left = new QHBoxLayout(leftBar_);
  left->setContentsMargins(12, 4, 8, 4);
  left_ = namedLabel("leftCopy");
  left_->setWordWrap(true);
  left->addWidget(left_, 1);
  const auto choice = [&](const QString& name, const QString& text, void (Desk::*run)()) {
    auto* b = new QPushButton(text);
    b->setObjectName(name);
    connect(b, &QPushButton::clicked, &desk_, run);
    left->addWidget(b);
  };
  choice("takeCopy", tr("Take them over"), &Desk::recover);
  choice("refuseCopy", tr("Throw them away"), &Desk::refuseCopy);
  leftBar_->hide();
  return leftBar_;
}

QWidget* Window::buildStages() {
  auto* rail = new QWidget;
  rail->setFixedWidth(80);
  auto* stages = new QVBoxLayout(rail);
  stages->setContentsMargins(0, 4, 0, 4);
  stages->setSpacing(2);
  for (int k = 0; k < 6; ++k) {
    auto* b = new QToolButton;
    const QString name = stageName(static_cast<Stage>(k));
    b->setObjectName("stage");
    b->setProperty("stageIndex", k);
    b->setText(name);
    b->setIcon(icon(name.toLower()));
    b->setIconSize(QSize(24, 24));
    b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
    b->setCheckable(true);
    b->setFixedSize(80, 64);
    b->setToolTip(stageQuestion(static_cast<Stage>(k)) + tr(" (Alt+%1)").arg(k + 1));
    connect(b, &QToolButton::clicked, this, [this, k] { setStage(static_cast<Stage>(k)); });
    stages->addWidget(b);
    stages_.push_back(b);
  }
  stages->addStretch(1);
  return rail;
}

QLayout* Window::buildCentre() {
  centre_ = new QStackedWidget;
  view_ = new SurfaceView;
  ledger_ = new Ledger(desk_);
  connect(ledger_, &Ledger::stepChosen, this, [this](int step) { hem_->select(step); });
  connect(ledger_, &Ledger::addAsked, this, &Window::addStep);
  connect(ledger_, &Ledger::refused, this, [this](const QString& what) { tell(what, false); });
  centre_->addWidget(view_);
  centre_->addWidget(ledger_);
  auto* middleColumn = new QVBoxLayout;
  middleColumn->setSpacing(0);
  auto* tools = new QWidget;
  auto* toolRow = new QHBoxLayout(tools);
  toolRow->setContentsMargins(12, 4, 12, 4);
  toolRow->addWidget(new QLabel(tr("Paint")));
  paintBox_ = new QComboBox;
  paintBox_->setObjectName("paint");
  for (const Paint p : paints()) paintBox_->addItem(paintName(p), static_cast<int>(p));
  connect(paintBox_, &QComboBox::activated, this, [this] { setPaint(static_cast<Paint>(paintBox_->currentData().toInt())); });
  toolRow->addWidget(paintBox_);
  const auto toggle = [&](const QString& text, bool on, const QString& tip, auto run) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setCheckable(true);
    b->setChecked(on);
    b->setToolTip(tip);
    connect(b, &QToolButton::toggled, this, run);
    toolRow->addWidget(b);
    return b;
  };
  stockButton_ = toggle(tr("Stock"), false, tr("Show the stock as cut up to the cutter's place instead of the part"), [this](bool on) {
    view_->showStock(on);
    scrub(hem_->selected(), hem_->time());
  });
  pathButton_ = toggle(tr("Path"), true, tr("Show passes, links and rapids of the selected step"),
                       [this](bool on) { view_->showPath(on && pathsBelong()); });
  ledgerButton_ = toggle(tr("Ledger"), false, tr("Show the steps as a table instead of the view (Ctrl+L)"),
                         [this](bool on) { centre_->setCurrentIndex(on ? 1 : 0); });
  ledgerButton_->setObjectName("ledgerButton");
  toolRow->addStretch(1);
  status_ = namedLabel("muted");
  status_->setWordWrap(false);
  toolRow->addWidget(status_);
  middleColumn->addWidget(tools);
  comparisonAt_ = middleColumn;
  middleColumn->addWidget(centre_, 1);
  return middleColumn;
}

void Window::buildProbes() {
  probeBox_ = new QWidget;
  auto* probeRows = new QVBoxLayout(probeBox_);
  probeRows->setContentsMargins(0, 4, 0, 0);
  auto* line = new QFrame;
  line->setObjectName("rule");
  line->setFixedHeight(1);
  probeRows->addWidget(line);
  probeCard_ = namedLabel("probeCard");
  probeRows->addWidget(probeCard_);
  microscope_ = new MicroscopeCard(view_);
  auto* clear = new QPushButton(tr("Remove the dots"));
  clear->setObjectName("link");
  connect(clear, &QPushButton::clicked, this, [this] {
    probes_.clear();
    view_->setProbes({});
    microscope_->forget();
    probeBox_->hide();
  });
  probeRows->addWidget(clear);
  probeBox_->hide();
}

QWidget* Window::buildPanel() {
  auto* panel = new QWidget;
  panel->setObjectName("panel");
  panel->setAttribute(Qt::WA_StyledBackground);
  panel->setFixedWidth(320);
  auto* column = new QVBoxLayout(panel);
  column->setContentsMargins(16, 12, 16, 8);
  column->setSpacing(8);
  question_ = namedLabel("muted");
  headline_ = namedLabel("headline");
  column->addWidget(question_);
  column->addWidget(headline_);
  pages_ = new QStackedWidget;
  brief_ = new Brief(desk_);
  pages_->addWidget(brief_);
  auto* scroll = new QScrollArea;
  scroll->setObjectName("panel");
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  evidence_ = new QWidget;
  evidence_->setObjectName("panel");
  new QVBoxLayout(evidence_);
  auto* page = new QWidget;
  page->setObjectName("panel");
  auto* pageRows = new QVBoxLayout(page);
  pageRows->setContentsMargins(0, 0, 0, 0);
  pageRows->addWidget(evidence_);
  setUp_ = new SetUp(desk_);
  connect(setUp_, &SetUp::shown, this, &Window::showStanding);
  pageRows->addWidget(setUp_);
  pageRows->addWidget(assumptions_ = new Assumptions(desk_));
  pageRows->addWidget(regions_ = new Regions(desk_));
  pageRows->addWidget(rails_ = new Rails(desk_));
  pageRows->addStretch(1);
  scroll->setWidget(page);
  pages_->addWidget(scroll);
  column->addWidget(pages_, 1);
  stageActions_ = new QWidget;
  new QVBoxLayout(stageActions_);
  stageActions_->layout()->setContentsMargins(0, 0, 0, 0);
  column->addWidget(stageActions_);
  buildProbes();
  column->addWidget(probeBox_);
  return panel;
}

QWidget* Window::buildHem() {
  hem_ = new Hem(desk_);
  hem_->setFixedHeight(120);
  connect(hem_, &Hem::addAsked, this, &Window::addStep);
  auto* hemRow = new QHBoxLayout(hem_);
  hemRow->setContentsMargins(0, 36, 12, 0);
  hemRow->addStretch(1);
  traceBox_ = new QComboBox;
  traceBox_->setObjectName("trace");
  traceBox_->setFixedHeight(18);
  traceBox_->setStyleSheet("padding: 0 4px; font-size: 12px");
  for (int k = 0; k < kTraces; ++k) traceBox_->addItem(traceName(static_cast<Trace>(k)), k);
  connect(traceBox_, &QComboBox::activated, this, [this] { hem_->setTrace(static_cast<Trace>(traceBox_->currentData().toInt())); });
  hemRow->addWidget(traceBox_, 0, Qt::AlignTop);
  auto* plot = new QToolButton;
  plot->setObjectName("plotTraces");
  plot->setText(tr("Plot…"));
  plot->setAccessibleName(tr("Plot the traces of the step"));
  plot->setToolTip(tr("Traces below each other, to zoom and to print (Ctrl+G)"));
  plot->setFixedHeight(18);
  plot->setStyleSheet("padding: 0 4px; font-size: 12px");
  connect(plot, &QToolButton::clicked, this, &Window::plotTraces);
  hemRow->addWidget(plot, 0, Qt::AlignTop);
  return hem_;
}

void Window::build() {
  auto* all = new QWidget;
  auto* rows = new QVBoxLayout(all);
  rows->setContentsMargins(0, 0, 0, 0);
  rows->setSpacing(0);
  auto* top = new QWidget;
  buildTop(top);
  rows->addWidget(top);

  rows->addWidget(buildMessages());
  rows->addWidget(buildLeftCopies());

  auto* work = new QWidget;
  auto* workRows = new QVBoxLayout(work);
  workRows->setContentsMargins(0, 0, 0, 0);
  workRows->setSpacing(0);
  auto* middle = new QHBoxLayout;
  middle->setSpacing(0);
  middle->addWidget(buildStages());
  middle->addLayout(buildCentre(), 1);
  middle->addWidget(buildPanel());
  workRows->addLayout(middle, 1);
  workRows->addWidget(buildHem());
  comparisonAt_->insertWidget(1, buildComparison());
  front_ = new QStackedWidget;
  front_->addWidget(buildStart());
  front_->addWidget(work);
  rows->addWidget(front_, 1);
  setCentralWidget(all);
  view_->setFocus();
}

void Window::buildTop(QWidget* top) {
  top->setFixedHeight(40);
  auto* row = new QHBoxLayout(top);
  row->setContentsMargins(12, 0, 16, 0);
  row->setSpacing(10);
  jobButton_ = new QPushButton(tr("no job"));
  jobButton_->setObjectName("jobButton");
  jobButton_->setMaximumWidth(220);
  row->addWidget(jobButton_);
  row->addWidget(clamping_ = new QLabel);
  unitButton_ = new QPushButton("mm");
  unitButton_->setObjectName("link");
  unitButton_->setToolTip(tr("Switch between millimetres and inches (Ctrl+U)"));
  row->addWidget(unitButton_);
  machine_ = namedLabel("muted");
  machine_->setWordWrap(false);
  row->addWidget(machine_);
  row->addStretch(1);
  progress_ = new QProgressBar;
  progress_->setFixedWidth(90);
  progress_->setRange(0, 1000);
  progress_->setTextVisible(false);
  auto* doing = namedLabel("doing");
  doing->setWordWrap(false);
  doing->setFixedWidth(190);
  doing->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  row->addWidget(doing);
  row->addWidget(progress_);
  auto* left = namedLabel("timeLeft");
  left->setWordWrap(false);
  left->setFixedWidth(86);
  left->setToolTip(tr("Until all is computed, from what such steps took before"));
  row->addWidget(left);
  cancel_ = new QPushButton(tr("Cancel"));
  cancel_->setObjectName("cancel");
  row->addWidget(cancel_);
  row->addWidget(new Tally(desk_));
}

} // namespace hemline::app
