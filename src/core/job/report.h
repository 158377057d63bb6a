// What is told of a result: report.json (docs/report.md), plain text, and the set-up sheet.
#pragma once
#include "job/release.h"

namespace hemline {

nlohmann::json reportJson(const Job& job, const std::string& jobPath, const JobResult& result, const Release& release);
/// As it is written; names that are no UTF-8 as well as they can be.
std::string reportBytes(const nlohmann::json& report);
std::string reportText(const Job& job, const JobResult& result, const Release& release);
/// HTML set-up sheet. `picture` is a PNG as base64, or empty.
std::string setupSheet(const Job& job, const JobResult& result, const Release& release, const std::string& picture);
/// Cutter-location text of a step, in its clamping's frame; its second line says where the job is held.
std::string clText(const Job& job, const StepResult& step, const Release& release);
/// "NN-name.cl"
std::string clFileName(const StepResult& step);
/// Ground that no step finishes, and ground that is left with more than was promised: never silent.
std::vector<Finding> coverageFindings(const JobResult& result);
/// The cautions of every sheet, one a line.
const std::vector<std::string>& cautions();

/// Promises as report.json has them, and as one line of plain text.
nlohmann::json promisesJson(const std::vector<PromiseResult>& promises);
std::string promiseRow(const PromiseResult& promise);
/// Unit and scale in which a promise is shown: "µm", "mm" or "°" (or inch units).
std::string showPromise(const std::string& name, double value, LengthUnit unit);
/// "cusp", "gouge", ... from "cusp_mm".
std::string promiseTitle(const std::string& name);

} // namespace hemline
