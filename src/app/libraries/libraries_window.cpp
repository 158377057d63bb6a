#include "libraries/libraries_window.h"
#include "base/error.h"
#include <QMessageBox>
#include <QPushButton>

namespace hemline::app {

LibrariesWindow::LibrariesWindow(Shelf shelf, Page first, QWidget* parent)
    : QDialog(parent), shelf_(std::move(shelf)), list_(new QListWidget), pages_(new QStackedWidget), save_(new QPushButton(tr("Save"))),
      note_(new QLabel) {
  setWindowTitle(tr("Libraries"));
  resize(1200, 640);
  auto* box = new QHBoxLayout(this);
  list_->setAccessibleName(tr("Libraries"));
  list_->setObjectName("libraries");
  list_->setFixedWidth(120);
  box->addWidget(list_);
  auto* right = new QVBoxLayout;
  box->addLayout(right, 1);
  right->addWidget(pages_, 1);
  auto* bar = new QHBoxLayout;
  bar->addWidget(note_, 1);
  bar->addWidget(save_);
  auto* close = new QPushButton(tr("Close"));
  bar->addWidget(close);
  right->addLayout(bar);
  save_->setAutoDefault(false), close->setAutoDefault(false);

  auto* cutters = new CuttersPage(shelf_);
  auto* holders = new HoldersPage(shelf_);
  auto* assemblies = new AssembliesPage(shelf_);
  auto* materials = new MaterialsPage(shelf_);
  auto* machines = new MachinesPage(shelf_);
  for (LibraryPage* p : std::initializer_list<LibraryPage*>{cutters, holders, assemblies, materials, machines}) {
    list_->addItem(p->title());
    pages_->addWidget(p);
    connect(p, &LibraryPage::changed, this, [this] {
      save_->setEnabled(true);
      note_->setText(tr("Changed; not saved yet."));
    });
  }
  connect(cutters, &CuttersPage::taken, this, &LibrariesWindow::cutterTaken);
  connect(holders, &HoldersPage::taken, this, &LibrariesWindow::holderTaken);
  connect(assemblies, &AssembliesPage::taken, this, &LibrariesWindow::assemblyTaken);
  connect(materials, &MaterialsPage::taken, this, &LibrariesWindow::materialTaken);
  connect(machines, &MachinesPage::taken, this, &LibrariesWindow::machineTaken);
  connect(list_, &QListWidget::currentRowChanged, this, [this](int row) {
    pages_->setCurrentIndex(row);
    static_cast<LibraryPage*>(pages_->widget(row))->fill(); // what another page changed is seen
  });
  connect(save_, &QPushButton::clicked, this, &LibrariesWindow::save);
  connect(close, &QPushButton::clicked, this, &LibrariesWindow::reject);
  save_->setEnabled(shelf_.changed());
  showPage(first);
}

LibraryPage* LibrariesWindow::page(Page page) {
  return static_cast<LibraryPage*>(pages_->widget(static_cast<int>(page)));
}

bool LibrariesWindow::save() {
  try {
    writeShelf(shelf_);
    save_->setEnabled(false);
    note_->setText(tr("Saved."));
    return true;
  } catch (const Error& e) {
    note_->setText(QString::fromUtf8(e.what()));
    return false;
  }
}

void LibrariesWindow::reject() {
  if (shelf_.changed()) {
    const auto answer = QMessageBox::question(this, tr("Libraries"), tr("The libraries have changes that are not saved."),
                                              QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel);
    if (answer == QMessageBox::Cancel || (answer == QMessageBox::Save && !save())) return;
  }
  QDialog::reject();
}

} // namespace hemline::app
