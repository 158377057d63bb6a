// Several models at once, or one beside an open job: what each of them is.
#pragma once
#include <QComboBox>
#include <QDialog>
#include <QStringList>

class QPushButton;

namespace hemline::app {

enum class ModelUse { Part, Fixture, Blank, Aside };
struct DroppedModel {
  QString file;
  ModelUse use;
};

/// What they probably are, from their names ("vice", "blank") and their order: without an open job just one of them is the part.
std::vector<DroppedModel> guessUses(const QStringList& files, bool jobIsOpen);

class DroppedModels : public QDialog {
  Q_OBJECT
public:
  DroppedModels(const QStringList& files, bool jobIsOpen, QWidget* parent);
  std::vector<DroppedModel> answer() const;

private:
  void changed(std::size_t row);
  QStringList files_;
  bool open_;
  std::vector<QComboBox*> uses_;
  QPushButton* take_ = nullptr;
};

} // namespace hemline::app
