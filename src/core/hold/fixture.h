// What holds the work, as simple bodies in the clamping frame: boxes, parallel jaws, a chuck with three jaws, a plate with dowels, straps,
// a mandrel, any mesh.
#pragma once
#include "base/progress.h"
#include "part/part.h"
#include <optional>
#include <string>
#include <vector>

namespace hemline {

enum class FixtureKind { Box, Jaws, Chuck, Plate, Strap, Mandrel, Mesh };
const char* fixtureName(FixtureKind kind);
const std::vector<FixtureKind>& fixtureKinds();

/// Lengths in mm, angles in radians. `at` is where the work sits: the middle of the seat between jaws, of the chuck's face inside the jaws,
/// of the plate's upper face, of the mandrel's flange; where a strap presses. `angle` turns about z there. What each kind uses:
/// fixtureFields.
struct Fixture {
  std::string name = "fixture";
  FixtureKind kind = FixtureKind::Box;
  Box box; ///< box only
  Vec3 at = Vec3::Zero();
  double angle = 0;
  double opening = 100;        ///< between the jaws; diameter that the chuck grips
  double most = 0;             ///< widest opening of jaws or chuck; 0: not known
  double width = 100;          ///< of the jaws along their face; of strap and plate
  double height = 20;          ///< of jaws above their seat, of dowels above the plate, of a strap
  double thick = 20;           ///< of jaws across their face
  double bed = 30;             ///< of what carries the seat, downwards
  double length = 100;         ///< of plate, strap, mandrel
  double diameter = 20;        ///< of dowels, mandrel
  double span = 80;            ///< between the dowels, along x
  double body = 200;           ///< diameter of the chuck, of the mandrel's flange
  std::string file;            ///< mesh only, relative to the job
  std::optional<double> force; ///< N, with which it presses: each jaw of a pair, all three of a chuck together, strap, mandrel; of screws
                               ///< or suction that pull onto a plate
  double friction = 0.15;      ///< between it and the work
};

/// One number of a fixture: how it is called in files and in words, and what is sensible.
struct FixtureField {
  const char *key, *title, *meaning;
  double Fixture::*value;
  double least, most;
};
/// The numbers that a kind uses, in the order in which people ask for them; lengths.
const std::vector<FixtureField>& fixtureFields(FixtureKind kind);
/// Does a force belong to this kind?
bool presses(FixtureKind kind);
/// Does it hold the work: all kinds that press, a plate only where a force is told with which the work is pulled down onto it.
bool grips(const Fixture& fixture);
/// Throws Error naming the field that is out of range, or a box without size.
void checkFixture(const Fixture& fixture);

/// A first one of a kind that sits where it would hold a blank of this box (clamping frame): jaws and chuck about its lower quarter, plate
/// and mandrel below it, a strap on its edge. The force is left open.
Fixture fixtureFor(FixtureKind kind, const Box& blank);

/// Triangles of its bodies, three corners each, outward; round ones as prisms about them (outside by at most 0.2 %). A mesh is read from
/// `path`, moved and turned; throws Error.
std::vector<Vec3> fixtureTriangles(const Fixture& fixture, const std::string& path, Progress& progress);
/// Twelve triangles of a box.
std::vector<Vec3> boxTriangles(const Box& box);
/// A prism about the cylinder along z.
std::vector<Vec3> prismTriangles(const Vec3& foot, double radius, double height);

/// Greatest force along the face that friction can carry, N: jaws 2 mu F (two faces), chuck mu F with the sum F of its jaws, strap 2 mu F
/// (it presses, the seat answers), mandrel mu F with the sum of its pressure, plate mu F. Coulomb; a caution, not a promise: chatter, oil
/// and soft jaws hold less. Nothing where it does not grip or the force is not known.
std::optional<double> holdingForce(const Fixture& fixture);

} // namespace hemline
