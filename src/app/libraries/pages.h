// The pages of the libraries' window.
#pragma once
#include "libraries/list_page.h"
#include "view/assembly_picture.h"

namespace hemline::app {

class MachinePicture;

class CuttersPage : public ListPage<Cutter> {
  Q_OBJECT
public:
  explicit CuttersPage(Shelf& shelf);

signals:
  void taken(const Cutter& cutter);

private:
  QString beforeTaken(const Cutter& was, Cutter& now) const override;
  QStringList told(const Cutter& c) const override;
  void draw() override;
  AssemblyPicture* picture_;
};

class HoldersPage : public ListPage<Holder> {
  Q_OBJECT
public:
  explicit HoldersPage(Shelf& shelf);

signals:
  void taken(const Holder& holder);

private:
  QStringList told(const Holder& h) const override;
  void draw() override;
  AssemblyPicture* picture_;
};

class AssembliesPage : public ListPage<NamedAssembly> {
  Q_OBJECT
public:
  explicit AssembliesPage(Shelf& shelf);

signals:
  /// Cutter and holder of the library, put together as told: only such as can be mounted.
  void taken(const Cutter& cutter, const Holder& holder, double stickOut);

private:
  QStringList told(const NamedAssembly& a) const override;
  void draw() override;
  void add();
  AssemblyPicture* picture_;
};

class MaterialsPage : public ListPage<Material> {
  Q_OBJECT
public:
  explicit MaterialsPage(Shelf& shelf);

signals:
  void taken(const Material& material);

private:
  QStringList told(const Material& m) const override;
  void draw() override;
  RecordTable* cutting_; ///< of the chosen material, a row a kind of cutter
};

class MachinesPage : public LibraryPage {
  Q_OBJECT
public:
  explicit MachinesPage(Shelf& shelf);
  void fill() override;

signals:
  void taken(const QString& file);

private:
  void draw();
  void copy();
  /// Machines of a file, JSON or CSV, beside those that are there. Throws Error.
  void bring(const QString& file);
  QStringList files() const;
  bool named(const std::string& name, std::size_t besides) const;
  Shelf::MachineFile* current();
  void change(const std::function<void(nlohmann::json&)>& how);
  RecordTable *axes_, *besides_; ///< of the chosen machine
  MachinePicture* picture_;
};

} // namespace hemline::app
