// A small real job for tests of the window's parts: a shallow dish, computed in a second.
#pragma once
#include "desk.h"
#include "part/part.h"
#include <QTemporaryDir>
#include <QTest>
#include <functional>

namespace dish {

using namespace hemline;

inline Job someJob() {
  Job j;
  Cutter c;
  c.name = "ball 8";
  j.cutters = {c};
  c.name = "ball 4", c.diameter = 4;
  j.cutters.push_back(c);
  j.holders = {{"slim", {{0, 10, 40, 12}}, 2, 20}};
  Step s;
  s.cutter = "ball 8", s.holder = "slim", s.promises.cusp = 0.002;
  j.steps = {s};
  return j;
}

/// A small real job on disk: a shallow dish, finished with a ball.
inline QString writeDish(const QTemporaryDir& dir, const std::function<void(Job&)>& change = {}) {
  std::vector<Vec3> soup;
  const auto at = [](int i, int j) { return Vec3(i, j, 0.02 * ((i - 6) * (i - 6) + (j - 5) * (j - 5))); };
  for (int i = 0; i < 12; ++i)
    for (int j = 0; j < 10; ++j)
      for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) soup.push_back(p);
  writeStl(dir.filePath("dish.stl").toStdString(), partFromTriangles(soup, "dish", 3.0)->mesh);
  Job j = someJob();
  j.name = "dish", j.partFile = "dish.stl", j.partUnit = LengthUnit::Millimetre;
  j.machineFile = HEMLINE_SOURCE "/data/machines/mill-3.json";
  for (Cutter& c : j.cutters) c.fluteLength = 12, c.shankDiameter = c.diameter, c.length = 80;
  j.steps[0].name = "Finish", j.steps[0].body = ParallelPasses(), j.steps[0].stickOut = 40;
  j.steps[0].promises = {0.05, 0.02, 0.02, 0.5, {}};
  if (change) change(j);
  const QString path = dir.filePath("dish.hemline");
  writeJob(path.toStdString(), j);
  return path;
}

} // namespace dish
