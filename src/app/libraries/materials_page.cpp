#include "libraries/pages.h"

namespace hemline::app {
namespace {
using Kind = RecordColumn::Kind;
}

MaterialsPage::MaterialsPage(Shelf& shelf)
    : ListPage(shelf, shelf.materials, shelf.materialsChanged, "materials", tr("Materials"),
               tr("Forces, torque, feeds by the load and bending go by these values. They are rounded values of groups: the "
                  "supplier's data and the shop's experience stand above them."),
               {{tr("material"), "name", tr("A group of materials, as the job names it."), Kind::Text},
                {tr("used by"), "", tr("The open job."), Kind::Text},
                {tr("cutting force, N/mm²"), "kc11_N_mm2", tr("Specific cutting force at a chip of 1 mm by 1 mm (Kienzle's kc1.1)."),
                 Kind::Number},
                {tr("rise"), "mc",
                 tr("How much more thin chips cost: force per area grows with the chip to the power of minus this (Kienzle's mc)."),
                 Kind::Number},
                {tr("elasticity, N/mm²"), "young_N_mm2", tr("Young's modulus, for what bends."), Kind::Number},
                {tr("density, g/cm³"), "density_g_cm3", tr("For weights."), Kind::Number},
                {tr("cutting data"), "", tr("How many kinds of cutters it has a start for, below."), Kind::Text}},
               materialFromFlat, materialsToCsv, materialsFromCsv),
      cutting_(new RecordTable(
          "cutting", tr("Cutting data of the chosen material"),
          {{tr("kind of cutter"), "", tr("Cutters whose own data are told for this very material keep theirs."), Kind::Text},
           {tr("speed, m/min"), "speed_m_min", tr("Cutting speed to begin with, metres a minute."), Kind::Number},
           {tr("feed a tooth, % of the diameter"), "percent", tr("Feed per tooth to begin with."), Kind::Number},
           {tr("where from"), "", tr("What comes along is assumed; what was typed is your own."), Kind::Text}},
          shelf.unit)) {
  under(tr("Where to begin in the chosen material, by kind of cutter"), cutting_);
  cutting_->take = [this](std::size_t row, const RecordTable::Record& typed) {
    const Material* m = current();
    if (!m) return;
    const CutterKind kind = static_cast<CutterKind>(row);
    nlohmann::json j = toJson(*m), list = nlohmann::json::array();
    for (const auto& c : j.value("cutting", nlohmann::json::array()))
      if (c["kind"] != kindName(kind)) list.push_back(c);
    if (typed.contains("speed_m_min") && typed.contains("percent")) // both, or it is not known
      list.push_back(
          {{"kind", kindName(kind)}, {"speed_m_min", typed["speed_m_min"]}, {"feed_of_diameter", typed["percent"].get<double>() / 100}});
    else if (typed.contains("speed_m_min") || typed.contains("percent"))
      list.push_back({{"kind", kindName(kind)},
                      {"speed_m_min", typed.value("speed_m_min", 100.0)},
                      {"feed_of_diameter", typed.value("percent", 0.6) / 100},
                      {"assumed", true}});
    j["cutting"] = list;
    list_[static_cast<std::size_t>(table_->chosen())] = materialFromJson(j, m->name);
    mark();
  };
  handOver(tr("Take into the job"), tr("Taken into the job; its cutters begin with the speeds and feeds of this material."),
           [this](const Material& m) {
             emit taken(m);
             return QString();
           });
  fill();
  if (table_->rowCount() > 0) table_->selectRow(0);
}

QStringList MaterialsPage::told(const Material& m) const {
  const bool used = shelf_.job && shelf_.job->material && shelf_.job->material->name == m.name;
  const auto own = std::count_if(m.cutting.begin(), m.cutting.end(), [](const CuttingData& c) { return !c.assumed; });
  return {used ? tr("this job") : QString(), m.cutting.empty() ? tr("none")
                                             : own > 0         ? tr("%1 kinds, %2 your own").arg(m.cutting.size()).arg(own)
                                                               : tr("%1 kinds, assumed").arg(m.cutting.size())};
}

void MaterialsPage::draw() {
  const Material* m = current();
  std::vector<RecordTable::Record> rows;
  std::vector<QStringList> told;
  for (int k = 0; m && k <= static_cast<int>(CutterKind::Drill); ++k) {
    RecordTable::Record r = RecordTable::Record::object();
    QString from = tr("not told");
    for (const CuttingData& c : m->cutting)
      if (c.kind == static_cast<CutterKind>(k)) {
        r["speed_m_min"] = c.speed, r["percent"] = 100 * c.feed;
        from = c.assumed ? tr("assumed") : tr("your own");
      }
    rows.push_back(r);
    told.push_back({QString::fromStdString(kindName(static_cast<CutterKind>(k))), from});
  }
  cutting_->show(std::move(rows), told);
}

} // namespace hemline::app
