#include "job/bodies.h"

namespace hemline {

std::vector<Vec3> tableTriangles(const Machine& m) {
  std::vector<Vec3> soup;
  if (m.tableRadius > 0)
    soup = prismTriangles({0, 0, m.table.low.z()}, m.tableRadius, m.table.high.z() - m.table.low.z());
  else if (m.table.size().minCoeff() > 0)
    soup = boxTriangles(m.table);
  for (Vec3& v : soup) v -= m.workOffset;
  return soup;
}

} // namespace hemline
