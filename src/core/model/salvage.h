// What can be saved of a job file that is damaged.
#pragma once
#include "model/job.h"

namespace hemline {

struct Salvaged {
  Job job;
  std::vector<std::string> kept; ///< "3 of 4 steps", "2 cutters"
  std::vector<std::string> lost; ///< what was left out and why, a line each; empty: nothing
};

/// Takes from a damaged file what can be read: of a text that is cut short or spoilt what is whole before a fault and from the
/// job's next field on; of lists every entry that is whole by itself; values that are not what they must be get those of a new job. Needs
/// the part's file. The job may still name what is lost (checkJob tells). Throws Error where not even the part is told, or a newer version
/// wrote it.
Salvaged salvageJob(const std::string& text, const std::string& where);

/// The text up to the last value of the document, or entry of one of its lists, that is whole before `fault` (a place in it), with what is
/// open there closed; empty where there is none.
std::string closedBefore(const std::string& text, std::size_t fault);

} // namespace hemline
