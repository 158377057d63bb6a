// Cutting force from chip and engagement, for cautions: what the grip and the work have to stand.
#pragma once
#include "cutter/material.h"

namespace hemline {

/// Largest tangential force in a cut of depth `depth` (mm) with an arc of engagement `arc` (radians) and `chip` mm a tooth: that many teeth
/// as can be in the arc at once, each with its thickest chip h = chip sin(arc), (chip from a quarter turn on):
/// F = teeth depth kc1.1 h^(1 - mc). O. Kienzle, 1952. N; of straight teeth, from above.
double cuttingForce(const Material& material, const Cutter& cutter, double chip, double depth, double arc);

/// Power that a removal rate (mm^3/s) asks of the spindle, W: rate times kc1.1 h^-mc at the mean chip h = chip (1 - cos arc) / arc of a cut
/// that starts at nothing. Of sharp teeth; worn ones ask for a third more and upwards.
double cuttingPower(const Material& material, double chip, double arc, double rate);

/// How far the tip gives way across for one newton there, mm/N: a cantilever from the holder's face of flutes (a core of 0.8 of their
/// diameter), neck and shank, each with its own section; cemented carbide, 600,000 N/mm^2. The holder's own give is left out.
double cutterCompliance(const Assembly& assembly);

} // namespace hemline
