#include "stages/rails.h"
#include <QTimer>

namespace hemline::app {
namespace {

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

QStringList byNames() {
  return {QObject::tr("the edge nearest to a click"), QObject::tr("a section across X"), QObject::tr("a section across Y"),
          QObject::tr("a level section"), QObject::tr("clicks along it")};
}

} // namespace

Rails::Rails(Desk& desk, QWidget* parent) : ValueList(desk, "rails", parent) {
  connect(&desk_, &Desk::jobChanged, this, &Rails::refresh);
  connect(&desk_, &Desk::partChanged, this, &Rails::refresh);
  connect(&desk_, &Desk::unitChanged, this, &Rails::refresh);
}

double Rails::step() const {
  return 0.004 * desk_.part()->mesh.bounds().diagonal();
}

std::vector<Rail> Rails::shown() const {
  std::vector<Rail> out = desk_.job().rails;
  if (drawn_.empty()) return out;
  Rail r{"new", "drawn", false, drawn_};
  try {
    if (drawn_.size() > 1) r.marks = drawnRail(*desk_.part(), drawn_, false, step()).marks;
  } catch (const Error&) { // it is told when the rail is ended; until then its places are joined straight
  }
  out.push_back(std::move(r));
  return out;
}

void Rails::attempt(const std::function<void()>& what) {
  try {
    what();
  } catch (const Error& e) {
    emit refused(text(e.happened) + ". " + text(e.remedy));
  }
}

void Rails::addRail(Rail rail, const QString& name) {
  const auto taken = [](const Job& j, const std::string& n) {
    return std::any_of(j.rails.begin(), j.rails.end(), [&](const Rail& r) { return r.name == n; });
  };
  desk_.attempt(tr("add a rail"), [&](Job& j) {
    rail.name = name.toStdString();
    for (int n = 2; taken(j, rail.name); ++n) rail.name = QString("%1 %2").arg(name).arg(n).toStdString();
    j.rails.push_back(std::move(rail));
  });
  selected_ = static_cast<int>(desk_.job().rails.size()) - 1;
  refresh();
  emit changed();
}

void Rails::takeBorder(const std::vector<char>& facets, const QString& of) {
  const auto rails = borderRails(desk_.part()->mesh, facets);
  if (rails.empty()) return emit refused(tr("%1 has no border.").arg(of));
  addRail(rails.front(), tr("border of %1").arg(of));
}

void Rails::take(const Mark& place) {
  const auto part = desk_.part();
  if (!part) return;
  if (by_ == Drawn) {
    drawn_.push_back(place);
    refresh();
    emit changed();
    return;
  }
  attempt([&] {
    if (by_ == Edge) return addRail(edgeRail(*part, place.at), tr("edge"));
    const Vec3 across = by_ == AcrossX ? Vec3(1, 0, 0) : by_ == AcrossY ? Vec3(0, 1, 0) : Vec3(0, 0, 1);
    // Of all lines of the section the one through the place.
    const Rail* nearest = nullptr;
    double best = kInfinity;
    const auto lines = sectionRails(*part, place.at, across);
    for (const Rail& r : lines)
      for (const Mark& m : r.marks)
        if (const double d = (m.at - place.at).norm(); d < best) best = d, nearest = &r;
    if (nearest) addRail(*nearest, tr("section"));
  });
}

void Rails::finish(bool closed) {
  attempt([&] {
    if (drawn_.size() == 1)
      addRail({"", "a click", false, drawn_}, tr("place"));
    else
      addRail(drawnRail(*desk_.part(), drawn_, closed, step()), tr("rail"));
    drawn_.clear();
  });
  refresh();
  emit changed();
}

void Rails::stopPicking() {
  if (!picking_) return;
  picking_ = false;
  drawn_.clear();
  refresh();
  emit changed();
}

void Rails::startPicking(bool on) {
  picking_ = on;
  drawn_.clear();
  emit handWanted(on);
  emit changed();
  refresh();
}

void Rails::pickBy(const QString& by) {
  by_ = static_cast<By>(std::max<qsizetype>(0, byNames().indexOf(by)));
  startPicking(true);
}

void Rails::refresh() {
  if (!desk_.isOpen() || !desk_.part()) return;
  const auto& rails = desk_.job().rails;
  if (selected_ >= static_cast<int>(rails.size())) selected_ = -1;
  QString shape = QString("%1 %2 %3 %4 %5").arg(selected_).arg(picking_).arg(by_).arg(drawn_.size()).arg(desk_.unit() == LengthUnit::Inch);
  for (const Rail& r : rails) shape += QString("|%1 %2 %3").arg(text(r.name)).arg(r.closed).arg(r.length());
  if (shape != shape_) {
    shape_ = shape;
    rebuild();
    emit changed();
  }
  refreshValues();
}

void Rails::rebuild() {
  begin();
  const auto& rails = desk_.job().rails;
  heading(tr("Rails"));
  if (rails.empty() && !picking_)
    words(tr("Lines on the surface: closed ones bound steps and regions; passes begin at them, or at a single place."));
  for (int k = 0; k < static_cast<int>(rails.size()); ++k) {
    const Rail& r = rails[static_cast<std::size_t>(k)];
    link(QString("%1  %2: %3")
             .arg(k == selected_ ? "▾" : "▸", text(r.name),
                  r.isPlace() ? tr("a place")
                              : tr("%1, %2").arg(r.closed ? tr("closed") : tr("open"),
                                                 plainLength(std::round(10 * r.length()) / 10, desk_.unit(), false))),
         "rail", [this, k] {
           QTimer::singleShot(0, this, [this, k] {
             selected_ = k == selected_ ? -1 : k;
             refresh();
             emit changed();
           });
         });
    if (k != selected_) continue;
    const auto of = [k](Job& j) -> Rail& { return j.rails.at(static_cast<std::size_t>(k)); };
    Value name = wordsValue("l_name", tr("name"), tr("Steps and regions go by it."), [of](Job& j) -> std::string& { return of(j).name; });
    name.set = [of, set = name.set](Job& j, const QString& t, LengthUnit u) {
      const std::string before = of(j).name;
      set(j, t, u);
      renamedRail(j, before, of(j).name);
    };
    add(name);
    if (!r.isPlace()) {
      add(lengthValue("l_move", tr("sideways by"), tr("To the left along it; negative: right. Past the border it goes on through air."),
                      -500, 500, [this](Job&) -> double& { return moveBy_; }));
      link(tr("Make a rail moved so"), "move rail", [this, k] {
        const Rail from = desk_.job().rails[static_cast<std::size_t>(k)];
        attempt([&] { addRail(offsetRail(*desk_.part(), from, moveBy_), tr("%1, moved").arg(text(from.name))); });
      });
    }
    if (r.isPlace()) {
      words(tr("Passes of even cusp and of even spacing may begin here."));
    } else if (!r.closed) {
      add(lengthValue("l_carry", tr("ends on by"), tr("Straight on at both ends, beyond the part, too."), 0.01, 500,
                      [this](Job&) -> double& { return carryBy_; }));
      link(tr("Make a rail carried on so"), "carry rail", [this, k] {
        const Rail from = desk_.job().rails[static_cast<std::size_t>(k)];
        attempt([&] { addRail(extendedRail(from, carryBy_, carryBy_), tr("%1, longer").arg(text(from.name))); });
      });
    } else {
      link(tr("Bound the selected step with it"), "bound step",
           [this, k] { emit boundAsked(text(desk_.job().rails[static_cast<std::size_t>(k)].name)); });
    }
    link(tr("Remove this rail"), "remove rail",
         [this, k] { desk_.attempt(tr("remove a rail"), [k](Job& j) { j.rails.erase(j.rails.begin() + k); }); });
  }
  add(choiceValue(
      "rail_by", tr("a new one from"), tr("How the next rail comes about."), byNames(),
      [this](const Job&) { return static_cast<int>(by_); },
      [this](Job&, int i) { QTimer::singleShot(0, this, [this, i] { pickBy(byNames()[i]); }); }));
  auto* pick = new QPushButton(tr("Pick in the view"));
  pick->setObjectName("pickRail");
  pick->setCheckable(true);
  pick->setChecked(picking_);
  connect(pick, &QPushButton::clicked, this, [this](bool on) { QTimer::singleShot(0, this, [this, on] { startPicking(on); }); });
  put(pick);
  if (drawn_.size() == 1) link(tr("Keep it as a place"), "keep place", [this] { QTimer::singleShot(0, this, [this] { finish(false); }); });
  if (drawn_.size() > 1) link(tr("End it here"), "end rail", [this] { QTimer::singleShot(0, this, [this] { finish(false); }); });
  if (drawn_.size() > 2) link(tr("Close it"), "close rail", [this] { QTimer::singleShot(0, this, [this] { finish(true); }); });
}

} // namespace hemline::app
