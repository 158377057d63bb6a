// The real window while it computes: what it says of the time that is left beside what it took, and how soon an edit of the finishing step
// has its first, coarse answer;
// of models, how soon they are seen.
#include "theme.h"
#include "window.h"
#include <QApplication>
#include <QElapsedTimer>
#include <QSettings>
#include <QTest>
#include <cstdio>

using namespace hemline;

namespace {

constexpr int kLimit = 600000; // ms

struct Said {
  double at, left; // s
};

/// Lets the window compute and notes what it says of the time that is left; then how far off that was, by tenths of the time.
void watch(app::Window& window, const char* what) {
  std::vector<Said> said;
  QElapsedTimer clock;
  clock.start();
  if (!QTest::qWaitFor(
          [&] {
            if (const auto left = window.desk().timeLeft()) said.push_back({1e-3 * static_cast<double>(clock.elapsed()), *left});
            return window.desk().complete() && !window.desk().computing();
          },
          kLimit))
    return;
  const double whole = 1e-3 * static_cast<double>(clock.elapsed());
  std::printf("%s: %.1f s; left said over left, from tenth to tenth:", what, whole);
  for (int tenth = 1; tenth < 10; ++tenth) {
    const auto at = std::find_if(said.begin(), said.end(), [&](const Said& s) { return s.at >= 0.1 * tenth * whole; });
    if (at == said.end())
      std::printf(" -");
    else
      std::printf(" %.2f", at->left / std::max(1e-3, whole - at->at));
  }
  std::printf("\n");
}

/// How soon something of a model is seen: its edges, and its faces.
void see(const QString& model) {
  app::Window window;
  window.resize(1280, 800);
  window.show();
  QElapsedTimer clock;
  clock.start();
  QString failed;
  QObject::connect(&window.desk(), &app::Desk::failed, [&](const Error& e) { failed = QString::fromUtf8(e.what()); });
  window.startFrom(model);
  const auto when = [&](const auto& there) {
    return QTest::qWaitFor([&] { return there() || !failed.isEmpty(); }, kLimit) && failed.isEmpty()
               ? 1e-3 * static_cast<double>(clock.elapsed())
               : hemline::kInfinity;
  };
  const double edges = when([&] { return window.desk().outline() || window.desk().part(); });
  const bool faces = window.desk().part() != nullptr;
  const double all = when([&] { return window.desk().part() != nullptr; });
  window.grab(); // drawn
  std::printf("%s: %s after %.1f s, faces after %.1f s, drawn after %.1f s\n", qPrintable(model), faces ? "faces" : "edges", edges, all,
              1e-3 * static_cast<double>(clock.elapsed()));
  if (!failed.isEmpty()) std::printf("  %s\n", qPrintable(failed));
  std::fflush(stdout);
  window.desk().cancel();
}

} // namespace

int main(int argc, char** argv) {
  app::SurfaceView::askForGraphics();
  QApplication application(argc, argv);
  app::setTheme(false);
  app::applyTheme();
  for (int round = 0; round < 2; ++round)
    for (int k = 1; k < argc; ++k) {
      if (!QString(argv[k]).endsWith(".hemline")) {
        if (round == 0) see(argv[k]);
        continue;
      }
      app::Window window;
      window.resize(1280, 800);
      window.show();
      window.openJob(argv[k]);
      watch(window, (std::string(argv[k]) + (round == 0 ? ", first" : ", then")).c_str());
      if (round == 0) continue;
      // An edit of the last finishing step: the coarse paint of it.
      auto& desk = window.desk();
      int step = static_cast<int>(desk.job().steps.size()) - 1;
      while (step >= 0 && !desk.job().steps[static_cast<std::size_t>(step)].finishing()) --step;
      if (step < 0) continue;
      window.hem().select(step);
      QElapsedTimer clock;
      clock.start();
      desk.edit("edit", [&](Job& j) { *j.steps[static_cast<std::size_t>(step)].promises.cusp *= 0.9; });
      const auto coarse = [&] {
        const app::StepView& v = desk.steps()[static_cast<std::size_t>(step)];
        return v.coarse != nullptr || v.fresh;
      };
      const bool came = QTest::qWaitFor(coarse, kLimit);
      std::printf("%s: cusp of step %d changed: %s after %.1f s\n", argv[k], step + 1,
                  desk.steps()[static_cast<std::size_t>(step)].fresh ? "all measured"
                  : came                                             ? "first answer"
                                                                     : "nothing",
                  1e-3 * static_cast<double>(clock.elapsed()));
      watch(window, "  and to its end");
      desk.discardRecovery(); // the demo stays as it is
    }
  return 0;
}
