#include "publication/record_parts.h"
#include "base/base64.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include "formats/small_picture.h"
#include "judgement/accuracy_verdict.h"
#include "judgement/decision_words.h"
#include "judgement/left_over.h"
#include "judgement/record_compare.h"

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

bool stays_out(const JobState &s, const std::string &mark) {
  const auto note = s.notes.find(mark);
  return note != s.notes.end() && !note->second.issued.value.value_or(true);
}

const SecondCheck *standing_check(const JobState &s, const NetworkRun &run) {
  for (auto c = s.second_checks.rbegin(); c != s.second_checks.rend(); ++c)
    if (c->content == run.fingerprint) return &*c;
  return nullptr;
}

std::vector<std::string> authors_of(const Job &job) {
  std::vector<std::string> out;
  const auto stands = standing(job.decisions());
  for (std::size_t i = 0; i < stands.size(); ++i) {
    const Decision &d = job.decisions()[i];
    if (stands[i] && d.verb != "sign" && std::find(out.begin(), out.end(), d.author) == out.end())
      out.push_back(d.author);
  }
  return out;
}

void sign_second_check(Job &job, const std::string &by, const std::string &looked, const std::string &remark) {
  const NetworkRun *run = job.network();
  if (!run || job.network_stale()) throw InputError("there are no coordinates to look at: adjust the network first");
  for (const std::string &author : authors_of(job))
    if (lower(trimmed(by)) == lower(author))
      throw InputError(author + " decided in this job: a second person is somebody else");
  job.decide("sign", "issue", {{"by", std::string(trimmed(by))}, {"looked", looked}, {"content", run->fingerprint}},
             remark);
}

ordered_json record_notes(const Job &job, const std::set<std::string> &marks) {
  ordered_json out = ordered_json::object();
  for (const auto &[name, n] : job.state().notes) {
    if (!marks.count(name)) continue;
    for (const auto &[key, value] : {std::pair{"monument", &n.monument}, {"access", &n.access}, {"remark", &n.remark}})
      if (value->value) out[name][key] = *value->value;
  }
  std::map<std::string, std::string> occupied; ///< occupation → its mark
  for (const Occupation &o : job.snapshot()->occupations()) occupied[o.id] = o.mark;
  for (const SourceContent &c : job.snapshot()->contents()) {
    const auto of = job.state().attachments.find(c.source.id);
    if (!c.attachment || of == job.state().attachments.end()) continue;
    const auto occupation = occupied.find(of->second.value);
    const std::string mark = occupation == occupied.end() ? of->second.value : occupation->second;
    if (!marks.count(mark)) continue;
    // Sketches and many pictures of telephones come without a small one of their own.
    std::string small = c.attachment->thumbnail;
    constexpr int side = 360;
    if (small.empty() && c.attachment->type.find("PDF") == std::string::npos)
      small = small_picture(job.store().source_bytes(c.source.id), side);
    out[mark]["attachments"].push_back({{"name", c.source.name},
                                        {"type", c.attachment->type},
                                        {"taken", c.attachment->taken},
                                        {"sha256", c.source.id},
                                        {"thumbnail", to_base64(small)}});
  }
  return out;
}

ordered_json record_earlier(const Job &job, const std::set<std::string> &marks) {
  auto out = ordered_json::array();
  for (const IssueRecord &r : job.store().issue_records()) {
    if (!r.damage.empty() || is_provisional(r)) continue;
    ordered_json x{{"id", r.id},
                   {"time", r.time},
                   {"crs", r.data.value("crs", "")},
                   {"vertical_name", r.data.value("vertical_name", "")},
                   {"withdrawn", job.state().left_out.count(r.id) > 0},
                   {"marks", ordered_json::array()}};
    for (const auto &m : r.data.value("marks", nlohmann::json::array()))
      if (marks.count(m.at("name").get<std::string>()))
        x["marks"].push_back({{"name", m.at("name")},
                              {"east_m", m.at("east_m")},
                              {"north_m", m.at("north_m")},
                              {"height_m", m.at("height_m").is_null() ? m.at("h_m") : m.at("height_m")}});
    out.push_back(std::move(x));
  }
  return out;
}

ordered_json record_since_last(const Job &job, const ordered_json &marks) {
  // What is issued twice as it is has the same issue before it.
  std::optional<IssueRecord> last;
  long decided = 0;
  std::set<std::string> had;
  const auto &contents = job.snapshot()->contents();
  for (IssueRecord &r : job.store().issue_records()) {
    if (!r.damage.empty() || is_provisional(r) || job.state().left_out.count(r.id)) continue;
    long until = 0;
    for (const auto &d : r.data.value("decisions", nlohmann::json::array()))
      until = std::max(until, d.at("seq").get<long>());
    std::set<std::string> sources;
    for (const auto &c : r.data.value("sources", nlohmann::json::array())) sources.insert(c.at("sha256"));
    const bool as_now = !job.decisions().empty() && until == job.decisions().back().seq &&
                        std::all_of(contents.begin(), contents.end(),
                                    [&](const SourceContent &c) { return sources.count(c.source.id) > 0; });
    if (!as_now) last = std::move(r), decided = until, had = std::move(sources);
  }
  if (!last) return nullptr;
  ordered_json out{{"id", last->id}, {"time", last->time}, {"comparable", false}};
  out["moved"] = out["new"] = out["gone"] = out["decisions"] = out["sources"] = ordered_json::array();
  std::map<std::string, nlohmann::json> then;
  for (const auto &m : last->data.at("marks")) then[m.at("name")] = m;
  const auto height = [](const auto &m) {
    return m.at("height_m").is_null() ? m.at("h_m").template get<double>() : m.at("height_m").template get<double>();
  };
  const bool same_system = last->data.value("crs", "") == job.state().settings.datum.crs &&
                           last->data.value("vertical", "") == job.state().settings.datum.vertical;
  out["comparable"] = same_system;
  for (const auto &m : marks) {
    const auto before = then.find(m.at("name").get<std::string>());
    if (before == then.end()) {
      out["new"].push_back(m.at("name"));
      continue;
    }
    constexpr double printed = 5e-5; // a change of the last printed digit, m
    const double de = m.at("east_m").get<double>() - before->second.at("east_m").get<double>(),
                 dn = m.at("north_m").get<double>() - before->second.at("north_m").get<double>(),
                 dh = height(m) - height(before->second);
    if (same_system && std::max({std::abs(de), std::abs(dn), std::abs(dh)}) > printed)
      out["moved"].push_back({{"name", m.at("name")}, {"de_m", de}, {"dn_m", dn}, {"dh_m", dh}});
    then.erase(before);
  }
  for (const auto &[name, m] : then) out["gone"].push_back(name);
  const DecisionWords words = job.words();
  for (const Decision &d : job.decisions())
    if (d.seq > decided) out["decisions"].push_back({{"seq", d.seq}, {"text", words.sentence(d)}});
  for (const SourceContent &c : contents)
    if (!had.count(c.source.id)) out["sources"].push_back(c.source.name);
  return out;
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
