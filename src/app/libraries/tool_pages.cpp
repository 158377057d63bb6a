#include "cutter/mount.h"
#include "libraries/pages.h"

namespace hemline::app {
namespace {

using Kind = RecordColumn::Kind;

QString lengthsIn(const Shelf& s) {
  return s.unit == LengthUnit::Inch ? QObject::tr("inches") : QObject::tr("mm");
}

RecordColumn usedBy() {
  return {QObject::tr("used by"), "", QObject::tr("Steps of the open job."), Kind::Text};
}

const Cutter* cutterOf(const Shelf& s, const std::string& name) {
  for (const Cutter& c : s.library.cutters)
    if (c.name == name) return &c;
  return nullptr;
}
const Holder* holderOf(const Shelf& s, const std::string& name) {
  for (const Holder& h : s.library.holders)
    if (h.name == name) return &h;
  return nullptr;
}

} // namespace

CuttersPage::CuttersPage(Shelf& shelf)
    : ListPage(
          shelf, shelf.library.cutters, shelf.libraryChanged, "library", tr("Cutters"),
          tr("Lengths in %1. A value that is changed is checked at once; what is not possible is not taken. Speeds and feeds are "
             "where to begin, in m/min and per tooth: the supplier's stand above them. Where they are told for another material than the "
             "job's, those of its table are taken.")
              .arg(lengthsIn(shelf)),
          {{tr("name"), "name", tr("One of its kind."), Kind::Text},
           usedBy(),
           {tr("kind"), "kind", tr("flat, ball, bull nose, tapered ball, barrel, chamfer or drill"), Kind::Text},
           {tr("diameter"), "diameter_mm", tr("Widest cutting diameter; of the ball for a tapered ball."), Kind::Length},
           {tr("corner"), "corner_mm", tr("Corner radius of a bull nose or barrel."), Kind::Length},
           {tr("flutes"), "flute_length_mm", tr("Length that cuts, from the tip."), Kind::Length},
           {tr("neck ⌀"), "neck_diameter_mm", tr("Nothing: no relieved neck."), Kind::Length},
           {tr("neck to"), "neck_length_mm", tr("From the tip to where the neck ends."), Kind::Length},
           {tr("shank ⌀"), "shank_diameter_mm", tr("What the holder grips."), Kind::Length},
           {tr("shank from"), "shank_from_mm", tr("Tip to where the shank's full cylinder begins."), Kind::Length},
           {tr("gripped"), "least_gripped_mm", tr("Length of shank that has to be gripped at least."), Kind::Length},
           {tr("length"), "length_mm", tr("Overall."), Kind::Length},
           {tr("teeth"), "teeth", tr("Cutting edges."), Kind::Whole},
           {tr("ramp, °"), "ramp_angle_deg", tr("Steepest way into solid; nothing: none."), Kind::Number},
           {tr("arc"), "profile_radius_mm", tr("Radius of a barrel's side."), Kind::Length},
           {tr("half angle, °"), "half_angle_deg", tr("Of a cone, or of a drill's point."), Kind::Number},
           {tr("tip ⌀"), "tip_diameter_mm", tr("Flat at the tip of a chamfer cutter."), Kind::Length},
           {tr("m/min"), "cutting_speed_m_min", tr("Cutting speed to begin with, metres a minute."), Kind::Number},
           {tr("a tooth"), "feed_per_tooth_mm", tr("Feed per tooth to begin with."), Kind::Length},
           {tr("told for"), "data_for", tr("The material that speed and feed are told for; nothing: they are assumed."), Kind::Text}},
          cutterFromFlat, cuttersToCsv, cuttersFromCsv),
      picture_(besideItsPicture()) {
  handOver(tr("Take into the job"), tr("Taken into the job."), [this](const Cutter& c) {
    emit taken(c);
    return QString();
  });
  fill();
}

/// What somebody types is no longer assumed, and must not give way to a table that is.
QString CuttersPage::beforeTaken(const Cutter& was, Cutter& now) const {
  if ((was.cuttingSpeed == now.cuttingSpeed && was.feedPerTooth == now.feedPerTooth) || !now.dataFor.empty()) return {};
  if (!shelf_.job || !shelf_.job->material)
    return tr(
        "Say in the last column for which material they are told: jobs of others, and of none that is told here, begin with the table's.");
  now.dataFor = shelf_.job->material->name;
  return tr("Taken as told for %1, the job's material.").arg(QString::fromStdString(now.dataFor));
}

QStringList CuttersPage::told(const Cutter& c) const {
  return {shelf_.usedBySteps([&](const Step& s) { return s.cutter == c.name; })};
}

void CuttersPage::draw() {
  const Cutter* c = current();
  if (!c) return picture_->show(nullptr, nullptr);
  const auto m = mountFor(*c, shelf_.library.holders, std::max(c->neckLength, c->fluteLength) + 2);
  picture_->show(c, m ? m->holder : nullptr, m ? m->stickOut : 0);
}

HoldersPage::HoldersPage(Shelf& shelf)
    : ListPage(shelf, shelf.library.holders, shelf.libraryChanged, "holders", tr("Holders"),
               tr("Lengths in %1. A bore alone, or a range where collets are used. The shape is one frustum after the other, from the face "
                  "upwards: height, radius, height, radius.")
                   .arg(lengthsIn(shelf)),
               {{tr("name"), "name", tr("One of its kind."), Kind::Text},
                usedBy(),
                {tr("bore from"), "bore_from_mm", tr("The thinnest shank that it takes."), Kind::Length},
                {tr("bore to"), "bore_to_mm", tr("The thickest shank that it takes."), Kind::Length},
                {tr("grips"), "grip_mm", tr("Length of shank that it grips, from its face."), Kind::Length},
                {tr("lets in"), "insertion_mm", tr("How deep a cutter may go in."), Kind::Length},
                {tr("takes"), "", tr("Cutters of the library that it can hold."), Kind::Text},
                {tr("shape: z r z r; …"), "shape_mm", tr("Height and radius of both ends of each piece, from the face."), Kind::Shape}},
               holderFromFlat, holdersToCsv, holdersFromCsv),
      picture_(besideItsPicture()) {
  handOver(tr("Take into the job"), tr("Taken into the job."), [this](const Holder& h) {
    emit taken(h);
    return QString();
  });
  fill();
}

QStringList HoldersPage::told(const Holder& h) const {
  const auto& cutters = shelf_.library.cutters;
  const auto n = std::count_if(cutters.begin(), cutters.end(), [&](const Cutter& c) { return stickOuts(c, h).has_value(); });
  return {shelf_.usedBySteps([&](const Step& s) { return s.holder == h.name; }), n == 1 ? tr("1 cutter") : tr("%1 cutters").arg(n)};
}

void HoldersPage::draw() {
  picture_->show(nullptr, current());
}

AssembliesPage::AssembliesPage(Shelf& shelf)
    : ListPage(
          shelf, shelf.library.assemblies, shelf.libraryChanged, "assemblies", tr("Assemblies"),
          tr("Cutters that stand in their holders, as they wait in the rack. Lengths in %1. What cannot be mounted is told and not taken "
             "into a job.")
              .arg(lengthsIn(shelf)),
          {{tr("name"), "name", tr("As on its label."), Kind::Text},
           usedBy(),
           {tr("cutter"), "cutter", tr("Of the library."), Kind::Text},
           {tr("holder"), "holder", tr("Of the library."), Kind::Text},
           {tr("out"), "stick_out_mm", tr("Tip to the holder's face."), Kind::Length},
           {tr("can it be mounted?"), "", tr("By bore, grip and depth of insertion."), Kind::Text}},
          assemblyFromFlat, assembliesToCsv, assembliesFromCsv),
      picture_(besideItsPicture()) {
  button(tr("Add one"), [this] { add(); });
  handOver(tr("Give to the selected step"), tr("Given to the selected step."), [this](const NamedAssembly& a) {
    const std::string fault = assemblyFault(shelf_.library, a);
    if (fault.empty()) emit taken(*cutterOf(shelf_, a.cutter), *holderOf(shelf_, a.holder), a.stickOut);
    return QString::fromStdString(fault);
  });
  fill();
}

void AssembliesPage::add() {
  // From what there is most of use for: a cutter that stands in no assembly yet, in the slimmest holder that takes it.
  for (const Cutter& c : shelf_.library.cutters) {
    if (std::any_of(list_.begin(), list_.end(), [&](const NamedAssembly& a) { return a.cutter == c.name; })) continue;
    const auto m = mountFor(c, shelf_.library.holders, std::max(c.neckLength, c.fluteLength) + 2);
    if (!m) continue;
    std::string name = c.name + ", " + m->holder->name;
    while (named(name, list_.size())) name += " (2)";
    list_.push_back({name, c.name, m->holder->name, m->stickOut});
    mark();
    return table_->setCurrentCell(table_->rowCount() - 1, 0);
  }
  tell(tr("Every cutter that can be mounted stands in an assembly: copy one of them."));
}

QStringList AssembliesPage::told(const NamedAssembly& a) const {
  const std::string fault = assemblyFault(shelf_.library, a);
  return {shelf_.usedBySteps(
              [&](const Step& s) { return s.cutter == a.cutter && s.holder == a.holder && std::abs(s.stickOut - a.stickOut) < 1e-6; }),
          fault.empty() ? tr("yes") : tr("no: %1").arg(QString::fromStdString(fault))};
}

void AssembliesPage::draw() {
  const NamedAssembly* a = current();
  picture_->show(a ? cutterOf(shelf_, a->cutter) : nullptr, a ? holderOf(shelf_, a->holder) : nullptr, a ? a->stickOut : 0);
}

} // namespace hemline::app
