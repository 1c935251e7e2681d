#include "publication/record_parts.h"
#include "base/hash.h"
#include "base/text.h"
#include "judgement/accuracy_verdict.h"
#include "judgement/decision_words.h"
#include "judgement/left_over.h"

namespace ampletie {
using nlohmann::ordered_json;

ordered_json record_doubts(const Job &job, std::optional<Section> section) {
  auto out = ordered_json::array();
  for (const Doubt &d : job.doubts())
    if (!section || d.section == *section)
      out.push_back({{"kind", words(d.kind)},
                     {"code", doubt_kind_info(d.kind).code},
                     {"about", d.about},
                     {"sentence", d.sentence},
                     {"effect_m", d.effect_m ? ordered_json(*d.effect_m) : ordered_json(nullptr)},
                     {"state", d.state == Doubt::State::open ? "open" : "accepted"},
                     {"accepted_because", d.accepted_because}});
  return out;
}

ordered_json record_left_over(const Job &job) {
  auto out = ordered_json::array();
  for (const LeftOver &x : left_over(*job.snapshot(), job.vectors(), job.network()))
    out.push_back({{"kind", x.kind}, {"name", x.name}, {"because", x.because}});
  return out;
}

ordered_json record_decisions(const Job &job) {
  auto out = ordered_json::array();
  const DecisionWords words = job.words();
  const auto stands = standing(job.decisions());
  for (const Decision &d : job.decisions())
    out.push_back({{"seq", d.seq},
                   {"time", d.time},
                   {"author", d.author},
                   {"text", words.sentence(d)},
                   {"reason", d.reason},
                   {"stands", bool(stands[static_cast<std::size_t>(&d - job.decisions().data())])}});
  return out;
}

ordered_json record_sources(const JobSnapshot &s, const std::set<std::string> &only) {
  auto out = ordered_json::array();
  for (const auto &c : s.contents())
    if (only.empty() || only.count(c.source.id))
      out.push_back({{"name", c.source.name}, {"kind", c.source.kind}, {"sha256", c.source.id}});
  return out;
}

ordered_json record_accuracy(const Job &job, const NetworkRun &run, const AdjustedMark &m) {
  const AccuracyVerdict v = accuracy_verdict(job.state(), run, m);
  if (!v.asked.any()) return nullptr;
  // What is not determined is neither true nor false.
  auto part = [](double asked, double reached, bool fails) {
    const bool known = std::isfinite(reached);
    return asked > 0 ? ordered_json{{"asked_m", asked},
                                    {"reached_m", known ? ordered_json(reached) : ordered_json(nullptr)},
                                    {"met", known ? ordered_json(!fails) : ordered_json(nullptr)}}
                     : ordered_json(nullptr);
  };
  return {{"of", v.asked.local ? "local" : "network"},
          {"plan", part(v.asked.plan, v.plan95, v.plan_fails)},
          {"height", part(v.asked.height, v.height95, v.height_fails)},
          {"height_of", v.physical ? "physical" : "ellipsoidal"},
          {"met", v.height_undetermined && !v.fails() ? ordered_json(nullptr) : ordered_json(!v.fails())}};
}

IssueRecord sealed(const Job &job, ordered_json content) {
  IssueRecord out;
  out.time = utc_now();
  // Two issues of one second and content are two all the same.
  content["number"] = job.store().issue_records().size() + 1;
  content["time"] = out.time;
  out.id = content_id("issue", content.dump());
  content["id"] = out.id;
  out.text = content.dump(1) + "\n";
  out.sha256 = sha256_hex(out.text);
  out.data = nlohmann::json::parse(out.text);
  return out;
}

} // namespace ampletie
