// Frames per second of the real surface view while it turns, on whatever renderer there is.
#include "theme.h"
#include "view/surface_view.h"
#include <QApplication>
#include <cmath>
#include <cstdio>

using namespace hemline;

int main(int argc, char** argv) {
  app::SurfaceView::askForGraphics(0);
  QApplication app(argc, argv);
  app::setTheme(false);
  app::applyTheme();
  for (const int side : {316, 708}) { // 200 thousand and a million triangles
    std::vector<Vec3> soup;
    const auto at = [&](int i, int j) {
      const double x = 200.0 * i / side, y = 200.0 * j / side;
      return Vec3(x, y, 6 * std::sin(x / 17) * std::cos(y / 23));
    };
    for (int i = 0; i < side; ++i)
      for (int j = 0; j < side; ++j)
        for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) soup.push_back(p);
    app::SurfaceView view;
    view.resize(1280, 800);
    view.show();
    view.setPart(partFromTriangles(soup, "waves", 3.0));
    view.turnRate(3);
    std::printf("view, %d triangles, 1280x800, turning: %.1f frames/s\n", 2 * side * side, view.turnRate(30));
  }
  return 0;
}
