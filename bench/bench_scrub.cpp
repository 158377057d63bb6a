// The real window with a computed job: how long it takes from moving along the hem until the stock at that place is on the screen.
#include "theme.h"
#include "view/stock_follower.h"
#include "window.h"
#include <QAbstractButton>
#include <QApplication>
#include <QElapsedTimer>
#include <QSignalSpy>
#include <QTest>
#include <algorithm>
#include <cstdio>

using namespace hemline;

namespace {

constexpr int kPlaces = 40;

/// Moves along the hem and waits for the stock there, and for the frame that shows it.
class Hand {
public:
  explicit Hand(app::Window& window)
      : window_(window), cut_(&window.follower(), &app::StockFollower::cut), swapped_(&window.view(), &QOpenGLWidget::frameSwapped) {}

  void move(int step, double share) {
    const app::StepView view = window_.desk().steps()[static_cast<std::size_t>(step)];
    QElapsedTimer clock;
    cut_.clear();
    clock.start();
    const double time = share * view.result->time->timing.total;
    if (window_.hem().selected() != step)
      window_.hem().select(step, time);
    else
      window_.hem().scrub(time);
    const auto passed = [&] { return 1e-6 * static_cast<double>(clock.nsecsElapsed()); };
    if (!QTest::qWaitFor([&] { return !cut_.isEmpty(); }, 60000)) return;
    there_.push_back(passed());
    swapped_.clear();
    if (!QTest::qWaitFor([&] { return !swapped_.isEmpty(); }, 60000)) return;
    seen_.push_back(passed());
    QTest::qWait(400); // the smooth frame of a hand at rest
  }

  void tell(const char* where) {
    std::sort(there_.begin(), there_.end());
    std::sort(seen_.begin(), seen_.end());
    if (seen_.empty()) return;
    std::printf("scrubbing %s, %zu places: stock there after %.0f ms, at worst %.0f; on the screen after %.0f ms, at worst %.0f\n", where,
                seen_.size(), there_[there_.size() / 2], there_.back(), seen_[seen_.size() / 2], seen_.back());
  }

private:
  app::Window& window_;
  QSignalSpy cut_, swapped_;
  std::vector<double> there_, seen_;
};

void passThrough(app::Window& window, int step) {
  QSignalSpy through(&window.follower(), &app::StockFollower::passedThrough);
  QElapsedTimer clock;
  clock.start();
  window.hem().select(step);
  window.hem().scrub(0);
  if (!QTest::qWaitFor([&] { return !through.isEmpty(); }, 300000)) return;
  const auto [places, memory] = window.follower().kept();
  const auto result = window.desk().steps()[static_cast<std::size_t>(step)].result;
  std::printf("first pass over '%s', %zu moves: %.1f s; %zu places kept, %.0f MB\n",
              window.desk().job().steps[static_cast<std::size_t>(step)].name.c_str(), result->planned->path.locations.size(),
              1e-3 * static_cast<double>(clock.elapsed()), places, 1e-6 * static_cast<double>(memory));
}

} // namespace

int main(int argc, char** argv) {
  app::SurfaceView::askForGraphics();
  QApplication application(argc, argv);
  app::setTheme(false);
  app::applyTheme();
  app::Window window;
  window.resize(1280, 800);
  window.show();
  if (argc < 2 || !window.openJob(argv[1])) return 1;
  if (!QTest::qWaitFor([&] { return window.desk().complete() && !window.desk().computing(); }, 600000)) return 1;
  for (auto* b : window.findChildren<QAbstractButton*>())
    if (b->text() == "Stock") b->setChecked(true);
  const int steps = static_cast<int>(window.desk().steps().size());
  for (int step = 0; step < steps; ++step) passThrough(window, step);
  QTest::qWait(1000);
  const auto share = [](int i) { return (i * 17 % kPlaces + 0.5) / kPlaces; }; // back and forth over the whole step
  for (int step = 0; step < steps; ++step) {
    Hand hand(window);
    window.hem().select(step);
    QTest::qWait(1000);
    for (int i = 0; i < kPlaces; ++i) hand.move(step, share(i));
    hand.tell(("step " + std::to_string(step + 1)).c_str());
  }
  Hand hand(window);
  for (int i = 0; steps > 1 && i < kPlaces; ++i) hand.move(i % steps, share(i));
  hand.tell("from step to step");
  return 0;
}
