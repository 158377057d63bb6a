// Which machines can run a job as it is planned.
#pragma once
#include "job/evaluate.h"

namespace hemline {

struct MachineFit {
  std::string name;
  bool fits = false;
  std::vector<std::string> why; ///< what is out, and by how much; empty: all within
};
/// Every step's path on the machine (files), with the clampings' work zeros: travel of each axis, tilt, spindle speed, bodies of fixtures
/// and blank beside the table. Clearance is not proven for it. Throws Error (a file that is damaged).
std::vector<MachineFit> fitMachines(const Job& job, const JobResult& result, const std::vector<std::string>& files,
                                    LengthUnit unit = LengthUnit::Millimetre);
/// The machine files of a folder, by name.
std::vector<std::string> machinesIn(const std::string& folder);
std::string machineFitText(const MachineFit& fit);

} // namespace hemline
