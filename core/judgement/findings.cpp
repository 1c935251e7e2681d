#include "judgement/findings.h"
#include "base/error.h"
#include "base/size_words.h"
#include "judgement/doubt_list.h"
#include "judgement/network_doubts.h"
#include "judgement/record_compare.h"
#include "judgement/traverse_doubts.h"
#include "judgement/unit_doubts.h"
#include "judgement/vector_doubts.h"
#include "results/measured.h"
#include "results/row_lists.h"
#include "results/tracks.h"
#include "results/vector_pairs.h"

namespace ampletie {
namespace {
using Doubts = Result<std::vector<Doubt>>;
using Reads = std::vector<const ResultBase *>;

/// A result that is a list of doubts.
template <class Find> Doubts::Compute found_by(Find find) {
  return [find](const JobSnapshot &s) {
    DoubtList list;
    find(list, s);
    return std::move(list.all);
  };
}

TraverseFindings judged_traverses(const JobSnapshot &s) {
  if (!s.traverses().any()) return {};
  std::optional<JobDatum> datum;
  try {
    datum.emplace(job_datum(s));
  } catch (const InputError &) {
    // nothing tells where the job is: traverses are local
  }
  return judge_traverses(s.traverses(), s.state(), s.get(traverse_support_result()).places, datum ? &*datum : nullptr);
}

const Doubts &misplaced_result() {
  static const Doubts r{
      "doubts: what belongs here", Section::datum, {&belonging_result()}, {Slice::recipes}, found_by(misplaced_doubts)};
  return r;
}

const Doubts &list_doubts_result() {
  static const Doubts r{
      "doubts: lists",
      Section::datum,
      {&lists_result(), &row_lists_result(), &contents_result(), &belonging_result()},
      {Slice::settings_datum, Slice::settings_network, Slice::marks, Slice::fits, Slice::use_of_sources},
      found_by(list_doubts)};
  return r;
}

const Doubts &answers_result() {
  static const Doubts r{"doubts: answers of services",
                        Section::datum,
                        {&lists_result(), &contents_result(), &occupations_result(), &belonging_result()},
                        {Slice::holds, Slice::marks, Slice::settings_datum, Slice::use_of_sources, Slice::fits},
                        found_by(answer_doubts)};
  return r;
}

const Doubts &intake_result() {
  static const Doubts r{"doubts: intake",
                        Section::intake,
                        {&contents_result(), &occupations_result(), &belonging_result()},
                        {Slice::use_of_sources, Slice::settings_datum, Slice::settings_orbits, Slice::fits},
                        found_by([](DoubtList &list, const JobSnapshot &s) {
                          file_doubts(list, s);
                          occupation_doubts(list, s);
                        })};
  return r;
}

const Doubts &attachments_result() {
  static const Doubts r{"doubts: attachments",
                        Section::intake,
                        {&contents_result(), &occupations_result(), &moving_result(), &belonging_result()},
                        {Slice::attachments, Slice::use_of_sources},
                        found_by(attachment_doubts)};
  return r;
}

const Doubts &field_sheet_result() {
  static const Doubts r{"doubts: field sheet",
                        Section::intake,
                        {&contents_result(), &occupations_result()},
                        {Slice::field_sheet, Slice::marks},
                        found_by(field_sheet_doubts)};
  return r;
}

const Doubts &vector_doubts_result() {
  static const Doubts r{"doubts: vectors",
                        Section::gnss,
                        {&vectors_result(), &occupations_result()},
                        {Slice::settings_judgement, Slice::settings_vectors, Slice::vector_settings},
                        found_by([](DoubtList &list, const JobSnapshot &s) { vector_doubts(list, s, s.vectors()); })};
  return r;
}

const Doubts &closure_doubts_result() {
  static const Doubts r{
      "doubts: closures",
      Section::gnss,
      {&loops_result(), &occupations_result(), &contents_result(), &measured_result()},
      {},
      found_by([](DoubtList &list, const JobSnapshot &s) { closure_doubts(list, s, s.get(loops_result())); })};
  return r;
}

const Doubts &level_doubts_result() {
  static const Doubts r{"doubts: levels",
                        Section::levels,
                        {&levels_result(), &belonging_result()},
                        {Slice::instruments, Slice::marks, Slice::settings_levels},
                        found_by(level_line_doubts)};
  return r;
}

const Doubts &traverse_doubts_result() {
  static const Doubts r{"doubts: traverses",
                        Section::traverse,
                        {&traverses_result(), &traverse_findings_result(), &belonging_result()},
                        {},
                        found_by([](DoubtList &list, const JobSnapshot &s) {
                          const auto published = [&](const std::string &mark) { return s.published().count(mark) > 0; };
                          for (const auto &source : s.traverses().field.sources)
                            understood_less(list, source.head, Section::traverse);
                          traverse_doubts(list, s.traverses(), s.get(traverse_findings_result()), published);
                        })};
  return r;
}

void same_marks(DoubtList &list, const JobSnapshot &s) {
  for (const NearNames &n : s.get(near_names_result())) {
    Doubt &d =
        list.add(DoubtKind::same_mark, n.keep + " / " + n.other, n.levels_only ? Section::levels : Section::intake,
                 {Thing::Kind::mark, n.keep}, n.why, n.keep + "|" + n.other);
    d.other = n.other;
    if (n.height_difference && n.height_sd) {
      d.value = 1000 * std::abs(*n.height_difference), d.limit = 5000 * *n.height_sd, d.unit = "mm";
      d.effect_m = std::abs(*n.height_difference);
    }
  }
}

const Doubts &same_marks_result() {
  static const Doubts r{"doubts: same marks", Section::intake, {&near_names_result()}, {}, found_by(same_marks)};
  return r;
}

const Doubts &books_result() {
  static const Doubts r{"doubts: books",
                        Section::intake,
                        {&contents_result(), &levels_result(), &traverses_result(), &belonging_result()},
                        {Slice::use_of_sources},
                        found_by([](DoubtList &list, const JobSnapshot &s) {
                          same_book_doubts(list, s);
                          unit_doubts(list, s);
                        })};
  return r;
}

const Doubts &datum_doubts_result() {
  static const Doubts r{"doubts: datum",
                        Section::datum,
                        {&network_vectors(), &occupied_marks(), &belonging_result()},
                        {Slice::holds, Slice::settings_datum, Slice::settings_network},
                        found_by(datum_doubts)};
  return r;
}

const Doubts &geoid_doubts_result() {
  static const Doubts r{"doubts: geoid",
                        Section::datum,
                        {&contents_result(), &occupied_marks(), &belonging_result()},
                        {Slice::settings_datum, Slice::settings_levels},
                        found_by(geoid_doubts)};
  return r;
}

const Doubts &fit_doubts_result() {
  static const Doubts r{"doubts: frame fits", Section::datum, {&fits_result()}, {}, found_by(fit_doubts)};
  return r;
}

const Doubts &network_doubts_result() {
  static const Doubts r{"doubts: network",
                        Section::network,
                        {&network_result(), &network_causes_result(), &vectors_result(), &measured_result(),
                         &occupations_result(), &moving_result(), &track_plan_result(), &tracks_result(),
                         &levels_result(), &traverses_result(), &contents_result(), &belonging_result(),
                         &pairs_result()},
                        {Slice::asked, Slice::settings_judgement, Slice::settings_datum, Slice::holds, Slice::groups},
                        found_by([](DoubtList &list, const JobSnapshot &s) {
                          if (const auto &run = s.get(network_result()))
                            network_doubts(list, s, s.vectors(), *run, s.get(network_causes_result()));
                        })};
  return r;
}

const Doubts &measured_doubts_result() {
  static const Doubts r{"doubts: measured elsewhere",
                        Section::gnss,
                        {&measured_result(), &contents_result()},
                        {},
                        found_by(measured_doubts)};
  return r;
}

const Doubts &track_doubts_result() {
  static const Doubts r{
      "doubts: tracks",
      Section::gnss,
      {&tracks_result(), &track_plan_result(), &occupations_result(), &moving_result(), &belonging_result(),
       &contents_result()},
      {Slice::settings_datum, Slice::settings_network, Slice::use_of_vectors, Slice::recipes, Slice::motions},
      found_by(track_doubts)};
  return r;
}

const Doubts &also_doubts_result() {
  static const Doubts r{
      "doubts: further systems", Section::datum, {&also_result(), &network_result()}, {}, found_by(also_doubts)};
  return r;
}

void issue_doubts(DoubtList &list, const JobSnapshot &s) {
  const auto records = std::static_pointer_cast<const std::vector<IssueRecord>>(s.inputs().issued);
  if (!records) return;
  const IssueRecord *last = nullptr;
  for (const IssueRecord &r : *records) {
    if (!r.damage.empty())
      list.add(DoubtKind::issue_record_damaged, r.id, Section::issue, {},
               r.damage + "; what was issued is proven by its folder alone", r.id);
    else if (!is_provisional(r) && !s.state().left_out.count(r.id)) // what was withdrawn is compared no longer
      last = &r;
  }
  const auto &run = s.get(network_result());
  if (!run || !last) return;
  for (const std::string &what : compare_with_record(*last, *run))
    list.add(DoubtKind::differs_from_what_was_issued, last->id, Section::issue, {}, what + "; the record stands",
             last->id + what);
}

const Doubts &issue_doubts_result() {
  static const Doubts r{"doubts: issue",
                        Section::issue,
                        {&network_result()},
                        {Slice::issued, Slice::use_of_vectors},
                        found_by(issue_doubts)};
  return r;
}

const Doubts &targetless_result() {
  static const Doubts r{"doubts: targets of decisions",
                        Section::intake,
                        {&contents_result(), &occupations_result(), &moving_result(), &tracks_result(),
                         &vectors_result(), &levels_result(), &traverses_result()},
                        {Slice::vector_settings, Slice::occupations, Slice::stops, Slice::levelling, Slice::stations,
                         Slice::routes, Slice::recipes, Slice::use_of_sources, Slice::use_of_occupations,
                         Slice::use_of_vectors, Slice::use_of_levels, Slice::use_of_stations},
                        found_by(targetless_doubts)};
  return r;
}

const std::vector<const Doubts *> &sections() {
  static const std::vector<const Doubts *> all{
      &misplaced_result(),       &list_doubts_result(),    &answers_result(),        &intake_result(),
      &vector_doubts_result(),   &closure_doubts_result(), &level_doubts_result(),   &traverse_doubts_result(),
      &same_marks_result(),      &books_result(),          &datum_doubts_result(),   &geoid_doubts_result(),
      &fit_doubts_result(),      &also_doubts_result(),    &network_doubts_result(), &issue_doubts_result(),
      &measured_doubts_result(), &track_doubts_result(),   &targetless_result(),     &attachments_result(),
      &field_sheet_result()};
  return all;
}

std::vector<Doubt> all_doubts(const JobSnapshot &s) {
  DoubtList list;
  for (const Doubts *part : sections()) {
    const auto &found = s.get(*part);
    list.all.insert(list.all.end(), found.begin(), found.end());
  }
  plain_doubts(list, s, s.troubles());
  for (Doubt &d : list.all) {
    auto a = s.state().accepted.find(d.id);
    if (a == s.state().accepted.end()) a = s.state().accepted.find(d.formerly);
    if (a == s.state().accepted.end()) continue;
    d.state = Doubt::State::accepted;
    d.accepted_because = a->second.reason;
  }
  std::stable_sort(list.all.begin(), list.all.end(), [](const Doubt &a, const Doubt &b) {
    return std::tuple(a.state != Doubt::State::open, -a.effect_m.value_or(0), std::string_view(words(a.kind)),
                      a.about) <
           std::tuple(b.state != Doubt::State::open, -b.effect_m.value_or(0), std::string_view(words(b.kind)), b.about);
  });
  return list.all;
}

Reads all_sections() { return {sections().begin(), sections().end()}; }
} // namespace

const Result<std::vector<NetworkCause>> &network_causes_result() {
  static const Result<std::vector<NetworkCause>> r{
      "causes of the network",
      Section::network,
      {&network_result(), &network_vectors(), &vectors_result(), &measured_result(), &occupations_result(),
       &levels_result(), &traverses_result(), &contents_result(), &belonging_result()},
      {Slice::holds, Slice::settings_datum, Slice::settings_network, Slice::settings_traverse, Slice::groups},
      [](const JobSnapshot &s) {
        const auto &run = s.get(network_result());
        return run ? network_causes(s, *run) : std::vector<NetworkCause>{};
      }};
  return r;
}

const Result<TraverseFindings> &traverse_findings_result() {
  static const Result<TraverseFindings> r{"findings of traverses",
                                          Section::traverse,
                                          {&traverses_result(), &traverse_support_result(), &belonging_result()},
                                          {Slice::stations, Slice::routes, Slice::instruments, Slice::marks,
                                           Slice::settings_traverse, Slice::settings_datum, Slice::use_of_stations},
                                          judged_traverses};
  return r;
}

const Result<std::vector<NearNames>> &near_names_result() {
  static const Result<std::vector<NearNames>> r{"near names",
                                                Section::intake,
                                                {&contents_result(), &occupied_marks(), &belonging_result(),
                                                 &levels_result(), &network_vectors(), &traverses_result()},
                                                {Slice::holds, Slice::marks, Slice::settings_datum},
                                                [](const JobSnapshot &s) { return near_names(s, s.vectors()); }};
  return r;
}

const Result<std::vector<Doubt>> &doubts_result() {
  static const Doubts r{
      "doubts", Section::intake, all_sections(), {Slice::accepted, Slice::unreadable, Slice::contents}, all_doubts};
  return r;
}

} // namespace ampletie
