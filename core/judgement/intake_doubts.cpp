#include "base/hash.h"
#include "geodesy/ellipsoid.h"
#include "judgement/doubt_list.h"
#include <fmt/format.h>
#include <set>

namespace ampletie {

namespace {
/// What to say of a list so that a mistake is made good, given what is said of it already.
Correction correction_of(const MisplacedCause &c, const std::string &source, const JobState &state) {
  const auto said = state.lists.find(source);
  const ListReading now = said == state.lists.end() ? ListReading{} : said->second.value;
  Correction out{"Correct: " + c.words, source, c.field, c.value};
  if (c.field == "exchanged") out.value = now.exchanged ? "no" : "yes";
  if (c.field == "turned") {
    const auto turns = [&](const std::string &axis) {
      const auto has = [&](const std::string &t) { return t == axis || t == "both"; };
      return has(now.turned) != has(c.value);
    };
    out.value = turns("east") && turns("north") ? "both" : turns("east") ? "east" : turns("north") ? "north" : "";
  }
  if (c.field == "add_east" || c.field == "add_north")
    out.value = fmt::format("{:.3f}", (c.field == "add_east" ? now.add_east : now.add_north) + std::stod(c.value));
  return out;
}
} // namespace

/// One doubt for each file, or mark that was typed.
void misplaced_doubts(DoubtList &list, const JobSnapshot &s) {
  std::map<std::string, std::vector<const MisplacedMark *>> by_item;
  for (const auto &[mark, m] : s.misplaced()) by_item[misplaced_item(m.published)].push_back(&m);
  for (const auto &[item, all] : by_item) {
    const MisplacedMark &first = *all.front();
    std::string about = first.published.name;
    for (std::size_t i = 1; i < all.size() && i < 4; ++i) about += ", " + all[i]->published.name;
    if (all.size() > 4) about += fmt::format(" and {} more", all.size() - 4);
    Doubt &d = list.add(DoubtKind::does_not_belong_here, about, Section::datum,
                        {first.published.source_id.empty() ? Thing::Kind::mark : Thing::Kind::source, item},
                        fmt::format("{}: {}; {} {}", first.published.name, first.sentence,
                                    all.size() == 1 ? "it is" : fmt::format("these {} marks are", all.size()),
                                    first.accepted ? "used all the same" : "not used"));
    for (const MisplacedCause &c : first.causes) {
      d.causes.push_back(c.words);
      if (!c.field.empty() && !first.published.source_id.empty())
        d.corrections.push_back(correction_of(c, first.published.source_id, s.state()));
    }
    d.effect_m = 1000;
  }
}

/// What the first glance at a file tells.
void file_doubts(DoubtList &list, const JobSnapshot &s) {
  for (const SourceContent &c : s.contents()) {
    if (c.cut_off.empty() || s.state().left_out.count(c.source.id)) continue;
    Doubt &d = list.add(DoubtKind::file_cut_off, c.source.name, Section::intake, {Thing::Kind::source, c.source.id},
                        (c.attachment ? "" : "it ends inside a line: ") + c.cut_off +
                            (c.attachment ? "" : "; what stands there is used as it is"));
    d.causes.push_back("a copy that was broken off: leave this file out, copy it again and take it");
    d.causes.push_back("it is whole: accept this with the reason");
  }
  for (const Occupation &o : s.occupations()) {
    if (!o.file->cut_off.empty() && o.used) {
      Doubt &d =
          list.add(DoubtKind::file_cut_off, o.source_name, Section::intake, {Thing::Kind::occupation, o.id},
                   fmt::format("it ends before its last epoch is whole ({}); the {} whole epochs up to {} are used",
                               o.file->cut_off, o.epochs, iso(o.stop)));
      d.causes.push_back("a copy that was broken off: copy the file again and take it");
    }
    // In a few minutes nobody takes an antenna down, up again and measures its height.
    constexpr double time_for_another = 300;
    if (o.gap_before && *o.gap_before > time_for_another) {
      Doubt &d = list.add(
          DoubtKind::one_setup_or_two, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
          fmt::format(
              "{:.0f} minutes after the file before it, the same receiver goes on with the same antenna at the same "
              "height: both count as one set-up, measured once, which checks nothing",
              *o.gap_before / 60));
      d.causes.push_back("the antenna stood there all the time: accept this with the reason");
      d.causes.push_back("it was set up anew and its height measured again: give this occupation a set-up of its own "
                         "(set_up)");
    }
    if (!o.mark.empty()) continue;
    Doubt &d = list.add(DoubtKind::mark_without_a_name, o.source_name, Section::intake, {Thing::Kind::occupation, o.id},
                        "the file names no mark: it is not used until its mark was said");
    const std::string stem = o.source_name.substr(0, o.source_name.find_first_of("._-"));
    if (!stem.empty()) d.causes.push_back("by the name of the file it may be " + stem);
  }
  for (const SourceContent &c : s.contents()) {
    if (!c.control || s.state().left_out.count(c.source.id) || s.state().of_a_fit(c.source.id)) continue;
    std::string other;
    for (const ControlRow &r : c.control->rows)
      if (r.height && !r.vertical.empty() && r.vertical != s.state().settings.datum.vertical && other.empty())
        other = r.vertical;
    if (!other.empty())
      list.add(DoubtKind::heights_of_another_system, c.source.name, Section::datum, {Thing::Kind::source, c.source.id},
               "its heights are in " + other + ", the job's are in " +
                   (s.state().settings.datum.vertical.empty() ? "none" : s.state().settings.datum.vertical) +
                   ": its heights are not used");
  }
}

namespace {
/// By how much two calibrations place the phase centre apart, on the frequencies that both have, m.
double apart(const Antenna &a, const Antenna &b) {
  double out = 0;
  for (const auto &[name, q] : a.frequencies)
    if (const auto r = b.frequencies.find(name); r != b.frequencies.end())
      out = std::max(out, (q.offset_neu - r->second.offset_neu).norm());
  return out;
}

/// The frame that the orbits of an occupation are in, by the settings.
std::optional<Frame> orbit_frame(const JobSnapshot &s, const Occupation &o) {
  if (s.state().settings.orbits != "precise") return broadcast_frame(o.start);
  for (const auto &c : s.contents())
    if (c.sp3) return frame_by_name(c.sp3->frame);
  return {};
}

/// Several calibrations of one antenna, and releases that belong to another frame than the orbits.
void calibration_doubts(DoubtList &list, const JobSnapshot &s) {
  std::set<std::string> seen;
  for (const Occupation &o : s.occupations()) {
    if (!o.used || !o.calibration || !seen.insert(antenna_key(o.antenna) + "|" + o.file->antenna_serial).second)
      continue;
    const auto known = calibrations_of(s.contents(), o.antenna, o.file->antenna_serial);
    for (std::size_t i = 1; i < known.size(); ++i) {
      if (known[i].antenna->serial != known.front().antenna->serial) continue; // its own against the mean of its type
      const double d = apart(*known.front().antenna, *known[i].antenna);
      if (d < 0.0005) continue;
      Doubt &doubt = list.add(
          DoubtKind::calibrations_disagree, o.antenna, Section::intake, {Thing::Kind::source, known[i].source->id},
          fmt::format("{} and {} place its phase centre {:.1f} mm apart; {} is used{}", known.front().source->name,
                      known[i].source->name, 1000 * d, known.front().source->name,
                      known.front().antenna->release.empty() ? "" : " (" + known.front().antenna->release + ")"),
          antenna_key(o.antenna) + known[i].source->id);
      doubt.value = 1000 * d, doubt.unit = "mm", doubt.effect_m = d;
      doubt.causes.push_back("leave out the file that does not belong to this job's orbits");
      break;
    }
    const std::string release = o.calibration->release.substr(0, 5);
    const auto own = frame_by_name(release), orbits = orbit_frame(s, o);
    if (own && orbits && !(*own == *orbits)) {
      Doubt &d =
          list.add(DoubtKind::calibration_of_another_frame, o.antenna, Section::intake, {Thing::Kind::occupation, o.id},
                   fmt::format("its calibration is of the release {} ({}), the orbits are in {}",
                               o.calibration->release, frame_name(*own), frame_name(*orbits)),
                   antenna_key(o.antenna));
      // Between releases type means have changed by up to some millimetres in height (common practice).
      d.effect_m = 0.005;
      d.causes.push_back("take the calibration file that goes with the orbits");
    }
  }
}
} // namespace

void occupation_doubts(DoubtList &list, const JobSnapshot &s) {
  calibration_doubts(list, s);
  std::map<std::string, std::vector<const Occupation *>> by_mark;
  for (const Occupation &o : s.occupations()) {
    if (!o.used) continue;
    by_mark[o.mark].push_back(&o);
    if (!o.calibration) {
      Doubt &d = list.add(
          DoubtKind::antenna_unknown, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
          fmt::format("no calibration for the antenna \"{}\": phase centre taken at the reference point", o.antenna));
      // Mean phase centres of survey antennas lie some 5 to 12 cm above the reference point (common practice).
      d.effect_m = 0.08;
      for (const auto &name : similar_antennas(s.contents(), o.antenna)) d.causes.push_back("perhaps it is " + name);
    }
    const double h = o.antenna_height.value_or(0);
    if (!o.antenna_height)
      list.add(DoubtKind::height_suspicious, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
               "the antenna height cannot be reduced: " + o.height_problem)
          .effect_m = std::abs(o.measured);
    else if (h < 0 || h > 4 || (h == 0 && !s.published().count(o.mark)) || (h > 0 && h < 0.02)) {
      Doubt &d =
          list.add(DoubtKind::height_suspicious, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
                   h == 0 ? "the antenna height is zero" : fmt::format("an antenna height of {:.4f} m is unusual", h));
      d.value = h, d.unit = "m", d.effect_m = h == 0 ? 1.5 : std::abs(h);
    }
    // What was recorded in another country hardly belongs here.
    double nearest = 1e9;
    for (const auto &[mark, p] : s.published())
      if (p.xyz && o.file->approximate.norm() > 6e6) nearest = std::min(nearest, (*p.xyz - o.file->approximate).norm());
    if (nearest > 1000e3 && nearest < 1e9)
      list.add(
          DoubtKind::far_from_the_job, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
          fmt::format("recorded {:.0f} km from the nearest published mark: is it meant for this job?", nearest / 1000));
    // Excentric set-ups are rare in control work; a typing error looks the same.
    if (std::hypot(o.east, o.north) > 0 && !o.decided.count("east") && !o.decided.count("north"))
      list.add(DoubtKind::excentric_antenna, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
               fmt::format("the file puts the antenna {:.4f} m east and {:.4f} m north of the mark", o.east, o.north))
          .effect_m = std::hypot(o.east, o.north);
  }
  // Two receivers over one mark at once: one of the names is wrong, or one antenna stands beside it.
  for (const auto &[mark, list_of] : by_mark)
    for (std::size_t i = 0; i < list_of.size(); ++i)
      for (std::size_t k = i + 1; k < list_of.size(); ++k)
        if (std::min(list_of[i]->stop, list_of[k]->stop) - std::max(list_of[i]->start, list_of[k]->start) > 60)
          list.add(DoubtKind::two_receivers_on_one_mark, mark, Section::intake,
                   {Thing::Kind::occupation, list_of[k]->id},
                   fmt::format("{} and {} logged on this mark at the same time", list_of[i]->source_name,
                               list_of[k]->source_name))
              .effect_m = 1;
  for (const Occupation &o : s.occupations()) {
    if (!o.used || !o.weather || o.file->approximate.norm() < 6e6) continue;
    const double h = to_geodetic(o.file->approximate).h, usual = standard_atmosphere(h).pressure;
    // Weather moves the pressure by some 40 hPa; a reading reduced to sea level is off by 12 hPa per 100 m.
    if (std::abs(o.weather->pressure - usual) < 45) continue;
    Doubt &d = list.add(
        DoubtKind::pressure_unlikely, occupation_name(o), Section::intake, {Thing::Kind::occupation, o.id},
        fmt::format("{:.0f} hPa at a height of {:.0f} m, where {:.0f} hPa are usual", o.weather->pressure, h, usual));
    d.value = o.weather->pressure - usual, d.limit = 45, d.unit = "hPa";
    d.effect_m = 0.0023 * std::abs(o.weather->pressure - usual); // zenith delay per hPa (Saastamoinen)
    if (std::abs(o.weather->pressure - standard_atmosphere(0).pressure) < 45)
      d.causes.push_back("reduced to sea level: the pressure at the mark itself is needed");
  }
  // The same reading to the tenth of a millimetre at two erections was more likely copied than measured.
  for (const auto &[mark, list_of] : by_mark)
    for (std::size_t i = 1; i < list_of.size(); ++i)
      if (list_of[i]->setup != list_of[i - 1]->setup && list_of[i]->measured > 0.3 &&
          std::abs(list_of[i]->measured - list_of[i - 1]->measured) < 5e-5 &&
          list_of[i]->slant == list_of[i - 1]->slant)
        list.add(DoubtKind::height_suspicious, occupation_name(*list_of[i]), Section::intake,
                 {Thing::Kind::occupation, list_of[i]->id},
                 fmt::format("the antenna height {:.4f} m is exactly that of the set-up before: copied?",
                             list_of[i]->measured));
}

} // namespace ampletie
