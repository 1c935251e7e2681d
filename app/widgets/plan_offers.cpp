#include "app/widgets/plan_view.h"
#include "app/widgets/theme.h"
#include "results/job_results.h"

namespace ampletie::app {
namespace {
/// Sessions beyond this number are no choice any more.
constexpr std::size_t most_sessions = 60;

QString kind_words(const std::string &kind) {
  return kind == "vectors"             ? "Vectors"
         : kind == "dependent vectors" ? "Vectors that are dependent"
                                       : "Vectors left out or not solved";
}
} // namespace

const char *PlanView::kind_layer(const VectorResult &v) {
  return !v.used || !v.error.empty() ? "unused vectors" : v.independent ? "vectors" : "dependent vectors";
}

std::string PlanView::of_job(const std::string &layer) const {
  return layer + "@" + (w_.has_job() ? w_.job().store().path() : std::string());
}

bool PlanView::shows(const VectorResult &v) const {
  return layers_->everything() || (layers_->shows(kind_layer(v)) && layers_->shows(of_job("session/" + v.session)));
}

void PlanView::offer_layers() {
  std::vector<PlanLayer> out;
  if (marks_.empty()) return layers_->offer({});
  out.push_back({"names", "Names"});
  out.push_back({"grid", "Grid lines"});
  const auto any = [&](auto has) { return std::any_of(marks_.begin(), marks_.end(), has); };
  if (ellipses_ && any([](const PlanMark &m) { return m.cov_en.has_value(); })) out.push_back({"ellipses", "Ellipses"});
  if (velocities_ && any([](const PlanMark &m) { return m.velocity.has_value(); }))
    out.push_back({"velocities", "Velocities"});
  if (sights_) {
    const TraverseReport &r = w_.job().snapshot()->traverses();
    if (!r.lines.empty()) out.push_back({"legs", "Legs of traverses"});
    if (!r.field.setups.empty()) out.push_back({"sights", "Sights"});
    std::set<std::string> codes;
    for (const PlanMark &m : marks_)
      if (m.side) codes.insert(m.code);
    for (const std::string &c : codes)
      out.push_back({of_job("code/" + c), c.empty() ? QString("Side shots without a code") : text("Side shots: " + c)});
  } else if (w_.has_job()) {
    std::set<std::string> kinds, sessions;
    for (const VectorResult &v : w_.job().vectors()) kinds.insert(kind_layer(v)), sessions.insert(v.session);
    for (const char *k : {"vectors", "dependent vectors", "unused vectors"})
      if (kinds.count(k)) out.push_back({k, kind_words(k)});
    if (!w_.job().snapshot()->get(measured_result()).empty())
      out.push_back({"measured", "Vectors that others measured"});
    if (sessions.size() > 1 && sessions.size() <= most_sessions)
      for (const std::string &s : sessions) out.push_back({of_job("session/" + s), text("Session " + s)});
    for (const Way &w : ways_) out.push_back({w.layer, w.words});
  }
  out.insert(out.end(), linework_layers_.begin(), linework_layers_.end());
  layers_->offer(std::move(out));
}

} // namespace ampletie::app
