// The real surface view on whatever renderer there is: how soon a file of a million triangles is seen, and frames per second while it
// turns.
#include "theme.h"
#include "view/surface_view.h"
#include <QApplication>
#include <QTemporaryDir>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <fstream>

using namespace hemline;

namespace {

Vec3 wave(int i, int j, int side) {
  const double x = 200.0 * i / side, y = 200.0 * j / side;
  return Vec3(x, y, 6 * std::sin(x / 17) * std::cos(y / 23));
}

template <class Take> void eachTriangle(int side, Take&& take) {
  for (int i = 0; i < side; ++i)
    for (int j = 0; j < side; ++j) {
      take(wave(i, j, side), wave(i + 1, j, side), wave(i + 1, j + 1, side));
      take(wave(i, j, side), wave(i + 1, j + 1, side), wave(i, j + 1, side));
    }
}

/// Binary STL, written triangle by triangle so that this program's own memory stays small.
void writeWaves(const std::string& path, int side) {
  std::ofstream out(path, std::ios::binary);
  char head[84] = {};
  const auto count = static_cast<std::uint32_t>(2 * side * side);
  std::memcpy(head + 80, &count, 4);
  out.write(head, sizeof head);
  eachTriangle(side, [&](const Vec3& a, const Vec3& b, const Vec3& c) {
    char record[50] = {};
    std::size_t at = 12;
    for (const Vec3* p : {&a, &b, &c})
      for (int k = 0; k < 3; ++k, at += 4) {
        const auto v = static_cast<float>((*p)[k]);
        std::memcpy(record + at, &v, 4);
      }
    out.write(record, sizeof record);
  });
}

/// Largest memory of this process so far, MB.
double peakMemory() {
  std::ifstream in("/proc/self/status");
  std::string word;
  while (in >> word)
    if (word == "VmHWM:") {
      double kb = 0;
      in >> kb;
      return kb / 1024;
    }
  return 0;
}

void showMillion() {
  const QTemporaryDir dir;
  const std::string path = dir.filePath("waves.stl").toStdString();
  writeWaves(path, 708);
  app::SurfaceView view;
  view.resize(1280, 800);
  view.show();
  view.turnRate(1); // the empty view is there before
  const double before = peakMemory();
  const auto start = std::chrono::steady_clock::now();
  ReadOptions options;
  options.unit = LengthUnit::Millimetre;
  Progress quiet;
  const auto part = readPart(path, options, quiet);
  const auto read = std::chrono::steady_clock::now();
  view.setPart(part);
  view.grabFramebuffer(); // drawn at rest, in full
  const std::chrono::duration<double> whole = std::chrono::steady_clock::now() - start, reading = read - start;
  std::printf("a million triangles of STL: read in %.2f s, seen after %.2f s; %.0f MB at most, %.0f MB before\n", reading.count(),
              whole.count(), peakMemory(), before);
}

} // namespace

int main(int argc, char** argv) {
  app::SurfaceView::askForGraphics();
  QApplication app(argc, argv);
  app::setTheme(false);
  app::applyTheme();
  showMillion();
  for (const int side : {316, 708}) { // 200 thousand and a million triangles
    std::vector<Vec3> soup;
    eachTriangle(side, [&](const Vec3& x, const Vec3& y, const Vec3& z) { soup.insert(soup.end(), {x, y, z}); });
    app::SurfaceView view;
    view.resize(1280, 800);
    view.show();
    view.setPart(partFromTriangles(soup, "waves", 3.0));
    view.turnRate(3);
    std::printf("view, %d triangles, 1280x800, turning: %.1f frames/s\n", 2 * side * side, view.turnRate(30));
  }
  return 0;
}
