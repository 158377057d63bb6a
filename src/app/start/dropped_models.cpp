#include "start/dropped_models.h"
#include "theme.h"
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QRegularExpression>
#include <algorithm>

namespace hemline::app {

std::vector<DroppedModel> guessUses(const QStringList& files, bool jobIsOpen) {
  static const QRegularExpression holds("(?<![a-z])(fixture|vi[sc]e|(soft)?jaw|clamp|chuck|(base)?plate|stop|pin|nest)(s|es)?(?![a-z])",
                                        QRegularExpression::CaseInsensitiveOption),
      raw("(?<![a-z])(blank|stock|raw|cast|casting|forging|forged|billet)s?(?![a-z])", QRegularExpression::CaseInsensitiveOption);
  std::vector<DroppedModel> out;
  bool blank = false;
  for (const QString& f : files) {
    const QString name = QFileInfo(f).completeBaseName();
    ModelUse use = ModelUse::Part;
    if (raw.match(name).hasMatch())
      use = blank ? ModelUse::Aside : ModelUse::Blank, blank = true;
    else if (holds.match(name).hasMatch())
      use = ModelUse::Fixture;
    out.push_back({f, use});
  }
  // One part and no more; with a job open it would take that one's place, so only where it is the only one.
  const auto first = std::find_if(out.begin(), out.end(), [](const DroppedModel& m) { return m.use == ModelUse::Part; });
  for (auto m = out.begin(); m != out.end(); ++m)
    if (m->use == ModelUse::Part && (m != first || (jobIsOpen && out.size() > 1))) m->use = ModelUse::Fixture;
  if (!jobIsOpen && first == out.end()) out.front().use = ModelUse::Part;
  return out;
}

DroppedModels::DroppedModels(const QStringList& files, bool jobIsOpen, QWidget* parent) : QDialog(parent), files_(files), open_(jobIsOpen) {
  setWindowTitle(tr("Models"));
  setObjectName("droppedModels");
  auto* box = new QVBoxLayout(this);
  box->addWidget(namedLabel("title", files.size() == 1 ? tr("What is this model?") : tr("What are these models?")));
  auto* grid = new QGridLayout;
  const auto guessed = guessUses(files, jobIsOpen);
  for (std::size_t k = 0; k < guessed.size(); ++k) {
    const QFileInfo info(guessed[k].file);
    auto* name = new QLabel(info.fileName());
    name->setToolTip(info.filePath());
    auto* use = new QComboBox;
    use->addItems({open_ ? tr("the part of a new job") : tr("the part"), tr("a fixture that holds it"), tr("the blank that it is cut from"),
                   tr("left aside")});
    use->setCurrentIndex(static_cast<int>(guessed[k].use));
    use->setAccessibleName(tr("What %1 is").arg(info.fileName()));
    use->setObjectName(QString("use %1").arg(k));
    name->setBuddy(use);
    connect(use, &QComboBox::currentIndexChanged, this, [this, k] { changed(k); });
    grid->addWidget(name, static_cast<int>(k), 0);
    grid->addWidget(use, static_cast<int>(k), 1);
    uses_.push_back(use);
  }
  box->addLayout(grid);
  box->addWidget(
      namedLabel("muted", tr("A blank lies in the part's frame, a fixture in the clamping's, as their files say; fixtures are "
                             "moved and taken away in Hold. Where a format has no unit, a fixture is in mm, a blank as the part.")));
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel);
  take_ = buttons->addButton(tr("Take them"), QDialogButtonBox::AcceptRole);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  box->addWidget(buttons);
  changed(0);
}

/// One part and one blank at most; without an open job there has to be a part.
void DroppedModels::changed(std::size_t row) {
  const int now = uses_[row]->currentIndex();
  if (now == static_cast<int>(ModelUse::Part) || now == static_cast<int>(ModelUse::Blank))
    for (std::size_t k = 0; k < uses_.size(); ++k)
      if (k != row && uses_[k]->currentIndex() == now) uses_[k]->setCurrentIndex(static_cast<int>(ModelUse::Aside));
  const auto is = [&](ModelUse use) {
    return std::any_of(uses_.begin(), uses_.end(), [use](const QComboBox* b) { return b->currentIndex() == static_cast<int>(use); });
  };
  if (take_) take_->setEnabled(open_ ? is(ModelUse::Part) || is(ModelUse::Fixture) || is(ModelUse::Blank) : is(ModelUse::Part));
}

std::vector<DroppedModel> DroppedModels::answer() const {
  std::vector<DroppedModel> out;
  for (std::size_t k = 0; k < uses_.size(); ++k)
    out.push_back({files_[static_cast<qsizetype>(k)], static_cast<ModelUse>(uses_[k]->currentIndex())});
  return out;
}

} // namespace hemline::app
