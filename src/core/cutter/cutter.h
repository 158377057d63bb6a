// Cutters, holders and how they are put together. Plain data; engines read only the profile and the bodies.
#pragma once
#include "cutter/profile.h"
#include <string>
#include <vector>

namespace hemline {

enum class CutterKind { Flat, Ball, BullNose, TaperedBall, Barrel, Chamfer, Drill };
std::string kindName(CutterKind kind);
/// Throws Error for an unknown name.
CutterKind kindFromName(const std::string& name);

/// Sizes in mm, angles in radians.
struct Cutter {
  std::string name;
  CutterKind kind = CutterKind::Ball;
  double diameter = 8;      ///< widest cutting diameter; of the ball for a tapered ball
  double corner = 0;        ///< corner radius (bull nose, barrel)
  double profileRadius = 0; ///< barrel: radius of the side's arc
  double tipDiameter = 0;   ///< chamfer: flat at the tip
  double angle = 0;         ///< tapered ball, chamfer: half angle of the cone; drill: half point angle
  double fluteLength = 16;
  double neckDiameter = 0; ///< 0: no relieved neck
  double neckLength = 0;   ///< from the tip to where the shank begins
  double shankDiameter = 8;
  double shankFrom = 0;    ///< tip to where the shank's full cylinder begins; 0: where neck or flutes end. A cone between
  double leastGripped = 0; ///< of the shank; 0: not told (mount.h)
  double length = 80;      ///< overall
  int teeth = 2;
  double rampAngle = 0.0524;  ///< steepest permitted ramp or helix into solid, radians; 0: none
  double cuttingSpeed = 250;  ///< m/min, a starting value for the demo materials
  double feedPerTooth = 0.06; ///< mm
  std::string dataFor = {};   ///< the material that speed and feed are told for; empty: they are assumed
};

/// A frustum about the axis: radius r0 at z0 to r1 at z1 > z0; z from the holder's face.
struct HolderPart {
  double z0, r0, z1, r1;
};
struct Holder {
  std::string name;
  std::vector<HolderPart> parts;
  double boreFrom = 0, boreTo = 0; ///< shanks that it takes, mm: equal for a fixed bore, a range by collets; 0: not told
  double grip = 0;                 ///< length of shank that it grips, from its face; 0: not told
  double insertion = 0;            ///< how deep a cutter may go in; 0: not told
};

/// The revolved cutting part up to the flute length. Throws Error for an impossible cutter.
Profile makeProfile(const Cutter& cutter);

/// What must not touch anything: neck, shank, holder as stacked frusta, z from the tip.
struct Body {
  double z0, r0, z1, r1;
  int kind; ///< 0 neck, 1 shank, 2 holder, 3 the cutting part (rapids only), 4 spindle nose
};
const char* bodyName(int kind);

struct Assembly {
  Cutter cutter;
  Holder holder;
  double stickOut = 40;     ///< tip to holder face, mm
  Profile profile;          ///< cutting part
  std::vector<Body> bodies; ///< neck, shank, holder, spindle nose where the machine has one
  double reach = 0;         ///< farthest point of the assembly from the tip, mm
};

/// Puts an assembly together. Throws Error: stick-out shorter than the flutes or longer than the cutter. Whether it can be mounted is asked
/// in mount.h.
Assembly assemble(const Cutter& cutter, const Holder& holder, double stickOut);

/// Puts the machine's spindle nose (z from its face) on the holder's upper end.
void addSpindleNose(Assembly& assembly, const std::vector<HolderPart>& nose);

/// Signed distance of (r, z), r >= 0, to a frustum: negative inside.
double frustumDistance(const Body& body, double r, double z);

/// Smallest signed distance of (r, z) to a stack of bodies; outside exact, inside negative. Which body in `kind`.
double distanceToBodies(const std::vector<Body>& bodies, double r, double z, int* kind = nullptr);

} // namespace hemline
