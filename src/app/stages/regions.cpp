#include "stages/regions.h"
#include "job/regions.h"
#include <QTimer>
#include <cmath>

namespace hemline::app {
namespace {

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

QStringList byNames() {
  return {QObject::tr("whole patches"),  QObject::tr("growing to edges"),      QObject::tr("paint"),
          QObject::tr("slope as there"), QObject::tr("largest ball as there"), QObject::tr("within a rail")};
}

} // namespace

QString pieceText(const Piece& piece, LengthUnit unit) {
  const auto len = [&](double mm) { return plainLength(mm, unit, false); };
  struct Words {
    const std::function<QString(double)>& len;
    QString operator()(const PatchPiece& p) const { return QObject::tr("patch %1").arg(text(p.name)); }
    QString operator()(const SlopePiece& p) const {
      return QObject::tr("slope %1° to %2°").arg(degrees(p.from), 0, 'f', 1).arg(degrees(p.to), 0, 'f', 1);
    }
    QString operator()(const RadiusPiece& p) const {
      return p.to > 1e6 ? QObject::tr("ball radius from %1").arg(len(p.from))
                        : QObject::tr("ball radius %1 to %2").arg(len(p.from), len(p.to));
    }
    QString operator()(const GrownPiece& p) const { return QObject::tr("grown to edges of %1°").arg(degrees(p.crease), 0, 'f', 0); }
    QString operator()(const PaintPiece& p) const { return QObject::tr("painted, %1 places").arg(p.stroke.size()); }
    QString operator()(const RailPiece& p) const { return QObject::tr("within rail %1").arg(text(p.rail)); }
  };
  const std::function<QString(double)> lengths = len;
  const QString what = std::visit(Words{lengths}, piece.what);
  return piece.mode == PieceMode::Add      ? QObject::tr("with %1").arg(what)
         : piece.mode == PieceMode::Remove ? QObject::tr("without %1").arg(what)
                                           : QObject::tr("only %1").arg(what);
}

Regions::Regions(Desk& desk, QWidget* parent) : ValueList(desk, "regions", parent) {
  connect(&desk_, &Desk::jobChanged, this, &Regions::refresh);
  connect(&desk_, &Desk::resultsChanged, this, &Regions::refresh);
  connect(&desk_, &Desk::unitChanged, this, &Regions::refresh);
}

const RegionGround* Regions::ground(int region) const {
  const auto k = static_cast<std::size_t>(region);
  return foundFor(desk_.base(), desk_.job(), k) ? desk_.base().regions[k].get() : nullptr;
}

void Regions::select(int region) {
  selected_ = region;
  if (region < 0) startPicking(false);
  refresh();
  emit shown();
}

void Regions::stopPicking() {
  if (!picking_) return;
  picking_ = false;
  refresh();
}

void Regions::startPicking(bool on) {
  picking_ = on && selected_ >= 0;
  emit handWanted(picking_, picking_ && by_ == Paint ? brush_ : 0);
  refresh();
}

void Regions::pickBy(const QString& by) {
  by_ = static_cast<By>(std::max<qsizetype>(0, byNames().indexOf(by)));
  startPicking(true);
}

std::vector<Value> Regions::valuesOf(int region) const {
  const auto of = [region](Job& j) -> Region& { return j.regions.at(static_cast<std::size_t>(region)); };
  const RegionUse use = desk_.job().regions[static_cast<std::size_t>(region)].use;
  std::vector<Value> out;
  Value name = wordsValue("r_name", tr("name"), tr("Steps and promises go by it."), [of](Job& j) -> std::string& { return of(j).name; });
  name.set = [of, set = name.set](Job& j, const QString& t, LengthUnit u) { // steps and waivers that name it follow
    const std::string before = of(j).name;
    set(j, t, u);
    renamedRegion(j, before, of(j).name);
  };
  out.push_back(name);
  out.push_back(choiceValue(
      "r_use", tr("is"), tr("What is left on purpose or protected no step finishes, and it does not count as forgotten."),
      {tr("to finish"), tr("left on purpose"), tr("protected")},
      [of](const Job& j) { return static_cast<int>(of(const_cast<Job&>(j)).use); },
      [of](Job& j, int i) {
        of(j).use = static_cast<RegionUse>(i);
        if (of(j).use != RegionUse::Finish) of(j).finish.reset();
      }));
  if (use == RegionUse::Finish)
    out.push_back(maybeLengthValue(
        "r_finish", tr("finish"), tr("Highest cusp that all steps together may leave on it."), tr("not promised"), 0.0001, 5,
        [of](Job& j) -> std::optional<double>& { return of(j).finish; }, true));
  if (use != RegionUse::Left)
    out.push_back(maybeLengthValue(
        "r_tolerance", tr("tolerance"),
        use == RegionUse::Finish ? tr("How far it may stand out, rest included, or be cut in.") : tr("How deep any step may cut into it."),
        use == RegionUse::Finish ? tr("not promised") : tr("10 µm"), 0.0001, 20,
        [of](Job& j) -> std::optional<double>& { return of(j).tolerance; }, true));
  out.push_back(lengthValue("r_grow", tr("border moved by"),
                            tr("Along the ground, outward; negative: inward. Borders follow whole facets."), -500, 500,
                            [of](Job& j) -> double& { return of(j).grow; }));
  return out;
}

std::vector<Value> Regions::handValues() {
  std::vector<Value> out;
  out.push_back(choiceValue(
      "hand_by", tr("pick by"), tr("What a click in the view takes."), byNames(), [this](const Job&) { return static_cast<int>(by_); },
      [this](Job&, int i) { QTimer::singleShot(0, this, [this, i] { pickBy(byNames()[i]); }); }));
  out.push_back(choiceValue(
      "hand_mode", tr("a click"), tr("With Shift it always takes away."), {tr("adds"), tr("takes away"), tr("keeps only")},
      [this](const Job&) { return static_cast<int>(mode_); }, [this](Job&, int i) { mode_ = static_cast<PieceMode>(i); }));
  if (by_ == Paint) {
    Value v = lengthValue("hand_brush", tr("brush radius"),
                          tr("Of the ground that a stroke takes. Turn the view from beside the part, or with A D W S."), 0.05, 500,
                          [this](Job&) -> double& { return brush_; });
    v.set = [this, set = v.set](Job& j, const QString& t, LengthUnit u) {
      set(j, t, u);
      QTimer::singleShot(0, this, [this] { startPicking(picking_); });
    };
    out.push_back(v);
  }
  const auto angle = [](const QString& id, const QString& label, const QString& help, double* value) {
    Value v{id, label, help, {}, {}, {}, 0};
    v.show = [value](const Job&, LengthUnit) { return tr("%1°").arg(degrees(*value), 0, 'g', 3); };
    v.set = [value, label](Job&, const QString& t, LengthUnit) { *value = readAngle(t, 0.1, 90, label); };
    return v;
  };
  if (by_ == Growing) out.push_back(angle("hand_crease", tr("stops at edges of"), tr("Smaller bends are grown across."), &crease_));
  if (by_ == SlopeHere) out.push_back(angle("hand_slope", tr("give or take"), tr("About the slope of the place."), &slopeSpread_));
  return out;
}

void Regions::refresh() {
  if (!desk_.isOpen() || !desk_.part()) return;
  const auto& regions = desk_.job().regions;
  if (selected_ >= static_cast<int>(regions.size())) {
    selected_ = -1;
    if (picking_) startPicking(false);
  }
  QString shape =
      QString("%1 %2 %3 %4 %5").arg(selected_).arg(picking_).arg(by_).arg(static_cast<int>(mode_)).arg(desk_.unit() == LengthUnit::Inch);
  for (std::size_t k = 0; k < regions.size(); ++k) {
    const RegionGround* g = ground(static_cast<int>(k));
    shape += QString("|%1 %2 %3").arg(text(regions[k].name)).arg(static_cast<int>(regions[k].use)).arg(g ? g->found.area : -1.0);
    for (const Piece& p : regions[k].pieces) shape += pieceText(p, desk_.unit());
  }
  if (const auto& judged = desk_.result().ofRegions; desk_.complete())
    for (const RegionResult& r : judged)
      for (const PromiseResult& p : r.promises) shape += QString("%1%2").arg(static_cast<int>(p.verdict)).arg(p.measured);
  if (shape != shape_) {
    shape_ = shape;
    rebuild();
  }
  refreshValues();
}

void Regions::rebuild() {
  begin();
  const auto& regions = desk_.job().regions;
  heading(tr("Regions"));
  if (regions.empty())
    words(tr("Ground that promises a finish of its own, is left on purpose or protected. Without any, steps finish all ground."));
  for (int k = 0; k < static_cast<int>(regions.size()); ++k) {
    const Region& r = regions[static_cast<std::size_t>(k)];
    const RegionGround* g = ground(k);
    const QString use = r.use == RegionUse::Finish ? tr("to finish") : r.use == RegionUse::Left ? tr("left on purpose") : tr("protected");
    const QString size = !g ? tr("being looked for") : QString::fromStdString(formatArea(g->found.area, desk_.unit()));
    link(QString("%1  %2: %3, %4").arg(k == selected_ ? "▾" : "▸", text(r.name), use, size), "region",
         [this, k] { QTimer::singleShot(0, this, [this, k] { select(k == selected_ ? -1 : k); }); });
    if (k != selected_) continue;
    for (const Value& v : valuesOf(k)) add(v);
    if (g) {
      for (const std::string& lost : g->found.lost) words(tr("Not found: %1").arg(text(lost)), true);
      for (const std::string& c : g->found.changed) words(tr("Changed: %1").arg(text(c)));
      if (g->found.grain > 5) words(tr("Its border follows facets of up to %1.").arg(plainLength(g->found.grain, desk_.unit(), false)));
    }
    if (desk_.complete() && k < static_cast<int>(desk_.result().ofRegions.size())) {
      const RegionResult& judged = desk_.result().ofRegions[static_cast<std::size_t>(k)];
      const auto rows = regionText(judged, desk_.unit());
      for (std::size_t i = 0; i < judged.promises.size(); ++i) words(text(rows[i + 1]), judged.promises[i].verdict == Verdict::Broken);
    }
    for (std::size_t i = 0; i < r.pieces.size(); ++i)
      link(tr("✕  %1").arg(pieceText(r.pieces[i], desk_.unit())), "remove piece", [this, k, i] {
        desk_.attempt(tr("change a region"), [k, i](Job& j) {
          auto& pieces = j.regions.at(static_cast<std::size_t>(k)).pieces;
          pieces.erase(pieces.begin() + static_cast<std::ptrdiff_t>(i));
        });
      });
    for (const Value& v : handValues()) add(v);
    auto* pick = new QPushButton(tr("Pick in the view"));
    pick->setObjectName("pickRegion");
    pick->setCheckable(true);
    pick->setChecked(picking_);
    connect(pick, &QPushButton::clicked, this, [this](bool on) { QTimer::singleShot(0, this, [this, on] { startPicking(on); }); });
    put(pick);
    if (g && g->found.area > 0)
      link(tr("Take its border as a rail"), "region's border", [this, k] {
        if (const RegionGround* found = ground(k))
          emit borderAsked(found->found.facets, text(desk_.job().regions[static_cast<std::size_t>(k)].name));
      });
    link(tr("Remove this region"), "remove region", [this, k] {
      desk_.attempt(tr("remove a region"), [k](Job& j) {
        const std::string name = j.regions.at(static_cast<std::size_t>(k)).name;
        j.regions.erase(j.regions.begin() + k);
        removedRegion(j, name);
      });
    });
  }
  link(tr("Add a region"), "add region", [this] { addRegion(); });
}

void Regions::addRegion() {
  desk_.attempt(tr("add a region"), [](Job& j) {
    Region r;
    for (std::size_t n = j.regions.size() + 1; r.name == "region"; ++n) {
      const std::string name = "region " + std::to_string(n);
      if (std::none_of(j.regions.begin(), j.regions.end(), [&](const Region& x) { return x.name == name; })) r.name = name;
    }
    j.regions.push_back(r);
  });
  selected_ = static_cast<int>(desk_.job().regions.size()) - 1;
  emit shown();
  startPicking(true);
}

PieceMode Regions::modeFor(Qt::KeyboardModifiers keys) const {
  return keys & Qt::ShiftModifier ? PieceMode::Remove : mode_;
}

void Regions::addPiece(PieceMode mode, decltype(Piece::what) what) {
  const int k = selected_;
  desk_.attempt(tr("change a region"), [&](Job& j) {
    auto& pieces = j.regions.at(static_cast<std::size_t>(k)).pieces;
    // One stroke after another is one paint.
    if (auto* more = std::get_if<PaintPiece>(&what), *last = pieces.empty() ? nullptr : std::get_if<PaintPiece>(&pieces.back().what);
        more && last && pieces.back().mode == mode && last->radius == more->radius)
      last->stroke.insert(last->stroke.end(), more->stroke.begin(), more->stroke.end());
    else
      pieces.push_back({mode, std::move(what)});
  });
}

void Regions::brush(const std::vector<Mark>& stroke, Qt::KeyboardModifiers keys) {
  if (selected_ >= 0) addPiece(modeFor(keys), PaintPiece{stroke, brush_});
}

void Regions::take(const Mark& place, int facet, Qt::KeyboardModifiers keys) {
  const auto part = desk_.part();
  if (selected_ < 0 || !part) return;
  const auto t = static_cast<std::size_t>(facet);
  const PieceMode mode = modeFor(keys);
  switch (by_) {
  case Patches: {
    const PatchPiece patch = markPatch(*part, part->mesh.patch[t]);
    const auto& pieces = desk_.job().regions[static_cast<std::size_t>(selected_)].pieces;
    for (std::size_t i = 0; i < pieces.size(); ++i) // a second click takes back what the first one did
      if (const auto* p = std::get_if<PatchPiece>(&pieces[i].what);
          p && p->name == patch.name && pieces[i].mode == PieceMode::Add && mode != PieceMode::Only) {
        desk_.attempt(tr("change a region"), [&](Job& j) {
          auto& all = j.regions.at(static_cast<std::size_t>(selected_)).pieces;
          all.erase(all.begin() + static_cast<std::ptrdiff_t>(i));
        });
        return;
      }
    return addPiece(mode, patch);
  }
  case Growing:
    return addPiece(mode, GrownPiece{place, crease_});
  case Paint:
    return addPiece(mode, PaintPiece{{place}, brush_});
  case SlopeHere: {
    const Vec3 up = desk_.job().steps.empty() ? Vec3(0, 0, 1) : placeStep(desk_.job(), desk_.job().steps.front()).step.axis;
    const double slope = angleBetween(measuringNormal(*part, t), up);
    return addPiece(mode, SlopePiece{std::max(0.0, slope - slopeSpread_), std::min(kPi, slope + slopeSpread_), up});
  }
  case BallHere: {
    const auto& balls = desk_.base().balls;
    if (!balls) return;
    const auto r = static_cast<double>(balls->radius[t]);
    const bool largest = r >= 0.999 * balls->limit;
    return addPiece(mode, RadiusPiece{(1 - ballSpread_) * r, largest ? 1e9 : (1 + ballSpread_) * r});
  }
  case WithinRail: {
    const Rail* nearest = nullptr;
    double best = kInfinity;
    for (const Rail& r : desk_.job().rails)
      for (const Mark& m : r.marks)
        if (const double d = (m.at - place.at).norm(); r.closed && d < best) best = d, nearest = &r;
    if (!nearest) return emit refused(tr("There is no closed rail yet: draw one below, or take an edge that closes."));
    return addPiece(mode, RailPiece{nearest->name, place});
  }
  }
}

} // namespace hemline::app
