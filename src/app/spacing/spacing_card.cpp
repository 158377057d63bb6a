#include "spacing/spacing_card.h"
#include "base/error.h"
#include "brief/fields.h"
#include "libraries/shelf.h"
#include "model/typed.h"
#include "theme.h"
#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QVBoxLayout>

namespace hemline::app {
namespace {

constexpr double kSquare = 100;  // mm: the ground that times are told for
constexpr double kRubs = 0.005;  // mm: thinner chips are pressed off, not cut (assumed)
constexpr double kSlow = 0.1;    // of the speed at the diameter: there the edge nearly stands still
constexpr double kNudge = 1.05;  // times, for an arrow key
constexpr double kSteepest = 89; // degrees: upright ground has no step-over

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

/// What is usually asked of a kind of cutter, and why.
QString wantsOf(CutterKind kind) {
  switch (kind) {
  case CutterKind::Ball:
    return QObject::tr(
        "A ball leaves the same cusp on every slope, so its step-over follows from the cusp alone. Its tip stands still: on level "
        "ground it rubs. Lean it by 10 to 15 degrees, or leave level ground to a cutter with a flat.");
  case CutterKind::Flat:
    return QObject::tr(
        "A flat is for level floors and upright walls: half to three quarters of its diameter beside each other leave nothing "
        "between. On slopes it leaves steps.");
  case CutterKind::BullNose:
    return QObject::tr("Floors by its flat, as wide as that; slopes by its corner, whose radius alone makes the cusp of level passes. Run "
                       "uphill it leaves far less: there the whole cutter's breadth counts.");
  case CutterKind::TaperedBall:
    return QObject::tr("As the ball at its tip: for narrow, deep ground. Its cone only helps on walls as steep as itself.");
  case CutterKind::Barrel:
    return QObject::tr("On walls as steep as its arc lies its large radius allows wide step-overs. Flatter ground meets its small corner.");
  default:
    return QObject::tr("Not made for finishing in passes beside each other: edges and holes are its work.");
  }
}

} // namespace

SpacingPicture::SpacingPicture(QWidget* parent) : QWidget(parent) {
  setObjectName("spacingPicture");
  setMinimumSize(380, 420);
}

void SpacingPicture::show(const SpacingState& state, LengthUnit unit) {
  state_ = state, unit_ = unit;
  const PassShadow shadow(makeProfile(state_.cutter), state_.ground());
  const double cusp = shadow.cusp(state_.step);
  setAccessibleName(
      tr("Two passes across their way: step-over %1, cusp %2")
          .arg(app::plainLength(state_.step, unit_, false), cusp < kFinite ? app::plainLength(cusp, unit_, true) : tr("none")));
  update();
}

void SpacingPicture::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const QRectF inside = paintGround(p, rect(), 14);
  const double split = inside.top() + 0.62 * inside.height();
  paintWhole(p, QRectF(inside.topLeft(), QPointF(inside.right(), split - 10)));
  paintCusps(p, QRectF(QPointF(inside.left(), split + 10), inside.bottomRight()));
}

/// The cutter in two places, to scale; level passes with the slope as it is, those uphill seen along it.
void SpacingPicture::paintWhole(QPainter& p, const QRectF& box) const {
  const Theme& t = theme();
  const Profile profile = makeProfile(state_.cutter);
  SpacingGround ground = state_.ground();
  const double bend = ground.bend, lean = ground.uphill ? 0 : -ground.slope;
  ground.bend = 0;
  const PassShadow shadow(profile, ground);
  p.setPen(t.muted);
  p.drawText(box, Qt::AlignTop | Qt::AlignLeft,
             ground.uphill ? tr("Seen along the passes, uphill; to scale") : tr("Seen along the passes; to scale"));
  const QRectF room = box.adjusted(0, 24, 0, 0);
  const double half = 1.15 * profile.maxRadius() + 0.5 * std::min(state_.step, 2 * profile.maxRadius()), tall = 1.5 * profile.maxRadius();
  const double scale = std::min(room.width() / (2 * half), room.height() / (1.5 * tall));
  // The cutter's middle is beside the place that it touches.
  const double aside = ground.uphill || ground.slope == 0 ? 0 : 0.6 * contactRadius(profile, ground.slope);
  const auto screen = [&](double u, double y) { // of the ground's frame
    const double x = u * std::cos(lean) - y * std::sin(lean), z = u * std::sin(lean) + y * std::cos(lean);
    return QPointF(room.center().x() + scale * (x - aside), room.bottom() - 0.3 * scale * tall - scale * z);
  };
  p.save();
  p.setClipRect(room);
  QPolygonF below;
  for (int k = -100; k <= 100; ++k) below << screen(3 * half * k / 100, -0.5 * bend * std::pow(3 * half * k / 100, 2));
  below << screen(3 * half, -4 * half) << screen(-3 * half, -4 * half);
  p.setPen(QPen(t.ink, 1.2));
  p.setBrush(t.hairline);
  p.drawPolygon(below);
  for (const double place : {-0.5, 0.5}) {
    const double at = place * state_.step;
    QPolygonF outline;
    if (ground.uphill) { // its shadow along the slope, open above
      const double turned = -bend * at, reach = profile.maxRadius();
      for (int k = -200; k <= 200; ++k) {
        const double u = reach * k / 200.0, h = std::min(shadow.height(u), 2 * tall);
        outline << screen(at + u * std::cos(turned) - h * std::sin(turned),
                          -0.5 * bend * at * at + u * std::sin(turned) + h * std::cos(turned));
      }
    } else { // upright, touching where the ground is as steep there
      const double steep = state_.slope + bend * at;
      Vec2 touch = touchOf(profile, std::abs(steep));
      if (steep > 0) touch.x() = -touch.x();
      const QPointF there = screen(at, -0.5 * bend * at * at);
      for (const double side : {-1.0, 1.0})
        for (int k = 0; k <= 200; ++k) {
          const double z = 2 * tall * std::pow((side < 0 ? 200 - k : k) / 200.0, 2);
          outline << there + scale * QPointF(side * profile.radiusAt(std::min(z, profile.length())) - touch.x(), touch.y() - z);
        }
    }
    QColor fill = t.accent;
    fill.setAlpha(40);
    p.setPen(QPen(t.accent, 1.4));
    p.setBrush(fill);
    p.drawPolygon(outline);
  }
  p.restore();
}

/// Crests between passes, higher than they are.
void SpacingPicture::paintCusps(QPainter& p, const QRectF& box) const {
  const Theme& t = theme();
  const PassShadow shadow(makeProfile(state_.cutter), state_.ground());
  const double step = state_.step, cusp = shadow.cusp(step);
  p.setPen(t.muted);
  if (!(cusp < kFinite)) {
    p.drawText(box, Qt::AlignCenter | Qt::TextWordWrap,
               state_.radius < 0 && shadow.cusp(1e-3 * step) == kInfinity
                   ? tr("The hollow is as tight as the cutter: passes do not lie beside each other in it.")
                   : tr("The passes do not meet: ground stays between them."));
    return;
  }
  const QRectF room = box.adjusted(0, 24, 0, -4);
  const double wide = room.width() / (3 * step), high = cusp > 0 ? 0.8 * room.height() / cusp : wide;
  const double times = high / wide;
  const QString words =
      times > 1.05
          ? tr("Between passes; heights %1 times").arg(times < 10 ? QString::number(times, 'f', 1) : QString::number(times, 'f', 0))
          : tr("Between passes; to scale");
  p.drawText(box, Qt::AlignTop | Qt::AlignLeft, words);
  const double up = std::max(std::min(high, 1e6), 1e-9);
  QPolygonF crest;
  for (int k = 0; k <= 600; ++k) {
    const double u = 3 * step * k / 600 - 1.5 * step;
    double h = kInfinity;
    for (const double at : {-2.0, -1.0, 0.0, 1.0, 2.0}) h = std::min(h, shadow.height(u - at * step));
    crest << QPointF(room.center().x() + wide * u, room.bottom() - up * std::max(0.0, h));
  }
  crest << room.bottomRight() << room.bottomLeft();
  p.setPen(QPen(t.ink, 1.2));
  p.setBrush(t.ochre);
  p.drawPolygon(crest);
  p.setPen(QPen(t.ink, 1, Qt::DashLine));
  p.drawLine(QPointF(room.left(), room.bottom() - up * cusp), QPointF(room.right(), room.bottom() - up * cusp));
  p.setPen(t.ink);
  p.drawText(QRectF(room.left(), room.bottom() - up * cusp - 20, room.width(), 18), Qt::AlignRight,
             tr("cusp %1").arg(text(formatLength(cusp, unit_, true))));
}

SpacingCard::SpacingCard(std::vector<Cutter> cutters, const std::string& first, LengthUnit unit, QWidget* parent)
    : QDialog(parent), cutters_(std::move(cutters)), unit_(unit), cutter_(new QComboBox), way_(new QComboBox), picture_(new SpacingPicture),
      answers_(namedLabel("spacingAnswers")), wants_(namedLabel("muted")), fault_(namedLabel("broken")) {
  setObjectName("spacingCard");
  setWindowTitle(tr("Spacing card"));
  auto* all = new QVBoxLayout(this);
  auto* head = namedLabel(
      "muted", tr("Two passes beside each other: type any value, or step it with ↑ and ↓, and all others follow. Exact on plane ground; "
                  "where it bends, for step-overs that are small beside its radius."));
  all->addWidget(head);
  auto* middle = new QHBoxLayout;
  all->addLayout(middle, 1);
  auto* left = new QVBoxLayout;
  middle->addLayout(left);
  auto* grid = new QGridLayout;
  grid->setVerticalSpacing(5);
  left->addLayout(grid);
  auto* label = new QLabel(tr("&cutter"));
  label->setBuddy(cutter_);
  cutter_->setObjectName("spacingCutter");
  for (const Cutter& c : cutters_) cutter_->addItem(text(c.name));
  grid->addWidget(label, 0, 0);
  grid->addWidget(cutter_, 0, 1);
  addRows(grid);
  addSpeedRows(grid);
  left->addSpacing(8);
  fault_->setVisible(false);
  left->addWidget(fault_);
  left->addWidget(answers_);
  left->addSpacing(8);
  left->addWidget(wants_);
  left->addStretch(1);
  middle->addWidget(picture_, 1);
  for (QLabel* l : {answers_, wants_, fault_}) l->setFixedWidth(390);
  const auto index = std::find_if(cutters_.begin(), cutters_.end(), [&](const Cutter& c) { return c.name == first; }) - cutters_.begin();
  connect(cutter_, &QComboBox::currentIndexChanged, this, [this](int k) { take(cutters_.at(static_cast<std::size_t>(k))); });
  if (!cutters_.empty()) {
    const int k = index < std::ssize(cutters_) ? static_cast<int>(index) : 0;
    cutter_->setCurrentIndex(k);
    take(cutters_[static_cast<std::size_t>(k)]);
  }
  resize(900, 600);
}

void SpacingCard::addRow(QGridLayout* grid, const char* name, const QString& label, const QString& help, std::function<QString()> show,
                         std::function<void(const QString&)> put, std::function<void(double)> nudge) {
  auto* edit = new QLineEdit;
  edit->setObjectName(name);
  edit->setToolTip(help);
  edit->setAccessibleName(label);
  edit->installEventFilter(this);
  const int row = grid->rowCount();
  auto* words = new QLabel(label);
  words->setToolTip(help);
  grid->addWidget(words, row, 0);
  grid->addWidget(edit, row, 1);
  rows_.push_back({edit, std::move(show), std::move(put), std::move(nudge)});
  connect(edit, &QLineEdit::editingFinished, this, [this, k = rows_.size() - 1] { typed(rows_[k]); });
}

/// How a length is shown, typed and stepped.
auto SpacingCard::length(double& value, double least, double most, const QString& label) {
  return std::tuple(
      [this, &value] { return app::plainLength(value, unit_, false); },
      [this, &value, least, most, label](const QString& t) { value = readLength(t, unit_, false, least, most, label, value); },
      [&value, least, most](double up) { value = std::clamp(value * std::pow(kNudge, up), least, most); });
}

void SpacingCard::addRows(QGridLayout* grid) {
  const auto radius = [this] { return makeProfile(state_.cutter).maxRadius(); };
  const auto shadow = [this] { return PassShadow(makeProfile(state_.cutter), state_.ground()); };
  const auto [showStep, putStep, nudgeStep] = length(state_.step, 1e-4, 500, tr("step-over"));
  addRow(grid, "spacingStep", tr("step-over"), tr("Between passes, along the ground."), showStep, putStep, nudgeStep);
  addRow(
      grid, "spacingShare", tr("of the diameter"), tr("The step-over as a share of the cutter's widest diameter."),
      [=, this] { return QString("%1 %").arg(100 * state_.step / (2 * radius()), 0, 'g', 4); },
      [=, this](QString t) {
        bool ok = false;
        const double share = t.remove('%').trimmed().replace(',', '.').toDouble(&ok);
        if (!ok || !(share > 0 && share <= 200)) refuse(tr("\"%1\" is no share").arg(t), tr("of the diameter"), tr("Type 0.1 to 200 %."));
        state_.step = share / 100 * 2 * radius();
      },
      [this](double up) { state_.step *= std::pow(kNudge, up); });
  addRow(
      grid, "spacingCusp", tr("cusp"), tr("What stands between two passes; typed, it sets the step-over."),
      [=, this] {
        const double cusp = shadow().cusp(state_.step);
        return cusp < kFinite ? app::plainLength(cusp, unit_, true) : tr("they do not meet");
      },
      [=, this](const QString& t) {
        const double cusp = readLength(t, unit_, true, 1e-5, 100, tr("cusp")), step = shadow().step(cusp);
        if (!(step > 0)) refuse(tr("No step-over leaves %1 there").arg(t), tr("cusp"), tr("Choose another cutter or ground."));
        state_.step = step;
      },
      [=, this](double up) {
        const double cusp = shadow().cusp(state_.step);
        if (cusp > 0 && cusp < kFinite) state_.step = shadow().step(cusp * std::pow(kNudge, up));
      });
  addRow(
      grid, "spacingSlope", tr("slope"),
      tr("Of the ground: 0 level, 90 upright. The axis is upright; for one that leans take the slope against it."),
      [this] { return text(showQuantity(degrees(state_.slope), Quantity::Angle, unit_)); },
      [this](const QString& t) { state_.slope = readAngle(t, 0, kSteepest, tr("slope")); },
      [this](double up) { state_.slope = std::clamp(state_.slope + radians(up), 0.0, radians(kSteepest)); });
  way_->setObjectName("spacingWay");
  way_->addItems({tr("level, beside each other down the slope"), tr("up and down the slope")});
  way_->setAccessibleName(tr("passes run"));
  connect(way_, &QComboBox::currentIndexChanged, this, [this](int k) {
    state_.uphill = k == 1;
    refresh();
  });
  const int row = grid->rowCount();
  grid->addWidget(new QLabel(tr("passes run")), row, 0);
  grid->addWidget(way_, row, 1);
  addRow(
      grid, "spacingRadius", tr("ground bends by"), tr("Its radius across the passes: a hump is positive, a hollow negative; \"plane\"."),
      [this] { return state_.radius == 0 ? tr("plane") : app::plainLength(state_.radius, unit_, false); },
      [this](const QString& t) {
        if (t.trimmed() == tr("plane")) return void(state_.radius = 0);
        const double r = readLength(t, unit_, false, -1e5, 1e5, tr("ground bends by"), state_.radius);
        if (std::abs(r) > 0 && std::abs(r) < 0.1)
          refuse(tr("That is an edge"), tr("ground bends by"), tr("Type 0.1 mm or more, negative for a hollow, or \"plane\"."));
        state_.radius = r;
      },
      [this](double up) { state_.radius *= std::pow(kNudge, up); });
}

void SpacingCard::addSpeedRows(QGridLayout* grid) {
  const auto [showDepth, putDepth, nudgeDepth] = length(state_.depth, 0.001, 100, tr("left before"));
  addRow(grid, "spacingDepth", tr("left before"), tr("What is cut away, along the axis: it sets how thick the chip is."), showDepth,
         putDepth, nudgeDepth);
  const auto number = [this](double& value, double most, const QString& unit, const QString& label) {
    return std::tuple([&value, unit] { return QString("%1 %2").arg(value, 0, 'f', 0).arg(unit); },
                      [this, &value, most, unit, label](const QString& t) {
                        const std::string plain = unit.toStdString();
                        value = readQuantity(t.toStdString(), Quantity::Number, {1, most, plain.c_str()}, unit_, label.toStdString());
                      },
                      [&value, most](double up) { value = std::clamp(value * std::pow(kNudge, up), 1.0, most); });
  };
  const auto [showRpm, putRpm, nudgeRpm] = number(state_.rpm, 200000, "rpm", tr("spindle"));
  addRow(grid, "spacingRpm", tr("spindle"), tr("Revolutions a minute."), showRpm, putRpm, nudgeRpm);
  const auto [showFeed, putFeed, nudgeFeed] = number(state_.feed, 1e6, "mm/min", tr("feed"));
  addRow(grid, "spacingFeed", tr("feed"), tr("Along the passes."), showFeed, putFeed, nudgeFeed);
}

void SpacingCard::take(const Cutter& cutter) {
  const bool first = state_.rpm == 0;
  state_.cutter = cutter;
  state_.rpm = std::round(1000 * cutter.cuttingSpeed / (kPi * cutter.diameter));
  state_.feed = std::round(state_.rpm * cutter.teeth * cutter.feedPerTooth);
  const double step = PassShadow(makeProfile(cutter), state_.ground()).step(0.005);
  if (first && step > 0) state_.step = step;
  refresh();
}

void SpacingCard::typed(const Row& row) {
  if (row.edit->text() == row.show()) return;
  const SpacingState before = state_;
  try {
    row.put(row.edit->text());
    refresh();
  } catch (const Error& e) {
    state_ = before;
    refresh();
    fault_->setText(text(e.happened) + ". " + text(e.remedy));
    fault_->setVisible(true);
  }
}

void SpacingCard::refresh() {
  fault_->setVisible(false);
  for (const Row& r : rows_) r.edit->setText(r.show());
  const Profile profile = makeProfile(state_.cutter);
  const double cusp = PassShadow(profile, state_.ground()).cusp(state_.step), tooth = state_.feed / (state_.rpm * state_.cutter.teeth);
  const double contact = contactRadius(profile, state_.slope), speed = 2 * kPi * contact * state_.rpm / 1000;
  const double full = 2 * kPi * profile.maxRadius() * state_.rpm / 1000;
  const double chip = thickestChip(profile, tooth, state_.step, state_.depth);
  const double there = profile.radiusAt(state_.depth);
  QStringList lines;
  lines << tr("%1 passes on %2").arg(kSquare / state_.step, 0, 'f', 1).arg(app::plainLength(kSquare, unit_, false));
  lines << tr("%1 for a square of that, without the ways between")
               .arg(text(formatDuration(kSquare / state_.step * kSquare / state_.feed * 60)));
  lines << tr("%1 a tooth; thickest chip %2").arg(text(formatLength(tooth, unit_, true)), text(formatLength(chip, unit_, true)));
  lines << tr("speed where it finishes %1 m/min, at the diameter %2").arg(speed, 0, 'f', speed < 10 ? 1 : 0).arg(full, 0, 'f', 0);
  QStringList remarks;
  if (!(cusp < kFinite)) remarks << tr("These passes leave ground between them.");
  if (speed < kSlow * full) remarks << tr("There the edge nearly stands still: it rubs.");
  if (chip < kRubs)
    remarks << tr("Chips under %1 are pressed off rather than cut (assumed): less spindle speed, or more feed.")
                   .arg(text(formatLength(kRubs, unit_, true)));
  if (state_.step > there && state_.depth > profile.maxRadius()) remarks << tr("Nearly a slot, and deep: chips pack.");
  answers_->setText(lines.join("\n") + (remarks.isEmpty() ? QString() : "\n\n" + remarks.join(" ")));
  wants_->setText(wantsOf(state_.cutter.kind));
  picture_->show(state_, unit_);
}

bool SpacingCard::eventFilter(QObject* o, QEvent* e) {
  if (e->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Up || key == Qt::Key_Down)
      for (const Row& r : rows_)
        if (r.edit == o) {
          typed(r);
          r.nudge(key == Qt::Key_Up ? 1 : -1);
          refresh();
          r.edit->selectAll();
          return true;
        }
    if (key == Qt::Key_Return || key == Qt::Key_Enter) { // no button of a dialog
      for (const Row& r : rows_)
        if (r.edit == o) typed(r);
      return true;
    }
  }
  return QDialog::eventFilter(o, e);
}

SpacingCard* openSpacingCard(const Desk& desk, int step, QWidget* parent) {
  std::vector<Cutter> cutters;
  std::string first;
  if (desk.isOpen()) {
    cutters = desk.job().cutters;
    if (step >= 0 && step < std::ssize(desk.job().steps)) first = desk.job().steps[static_cast<std::size_t>(step)].cutter;
  }
  for (int files = 2; files > 0; --files)
    try { // the library and the materials: what was damaged is put aside, and told where they are shown
      for (const Cutter& c : readShelf().library.cutters)
        if (std::none_of(cutters.begin(), cutters.end(), [&](const Cutter& had) { return had.name == c.name; })) cutters.push_back(c);
      break;
    } catch (const Error&) {
    }
  if (cutters.empty()) return nullptr;
  auto* card = new SpacingCard(std::move(cutters), first, desk.unit(), parent);
  card->setAttribute(Qt::WA_DeleteOnClose);
  card->show();
  return card;
}

} // namespace hemline::app
