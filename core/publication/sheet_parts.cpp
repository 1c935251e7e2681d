#include "publication/sheet_parts.h"
#include "job/asked.h"
#include "judgement/left_over.h"
#include "publication/figures.h"
#include "publication/instruments.h"
#include "publication/network_drawing.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>

namespace ampletie {
using nlohmann::json;

namespace {
/// How the check marks came out, in a sentence of the first paragraph.
std::string check_words(const json &r) {
  int agree = 0, all = 0;
  std::string against;
  for (const json &c : r.value("checks", json::array())) {
    ++all;
    if (c.at("verdict") == "agrees")
      ++agree;
    else
      against += (against.empty() ? "" : ", ") + c.at("mark").get<std::string>() + " " +
                 (c.at("verdict") == "DISAGREES" ? "disagrees" : "was not judged");
  }
  if (all == 0) return {};
  if (agree == all)
    return fmt::format(" {} agree{}.", all == 1 ? "The check mark" : fmt::format("All {} check marks", all),
                       all == 1 ? "s" : "");
  return fmt::format(" Of {} check mark{}, {} agree{}: {}.", all, all == 1 ? "" : "s", agree, agree == 1 ? "s" : "",
                     against);
}

} // namespace

std::string verdict_words(const json &r, bool listed) {
  std::vector<std::string> against;
  const json &n = r.at("network");
  if (n.at("redundancy").get<int>() == 0)
    against.push_back("nothing checks the network (redundancy 0)");
  else if (!n.at("passes").get<bool>())
    against.push_back(fmt::format("the global test FAILS (variance factor {:.3f}, bounds {:.3f} to {:.3f})",
                                  n.at("variance_factor").get<double>(), n.at("lower").get<double>(),
                                  n.at("upper").get<double>()));
  for (const json &c : r.at("control"))
    if (!c.at("passes").get<bool>())
      against.push_back("the held mark " + c.at("mark").get<std::string>() + " DISAGREES with the other held ones");
  std::map<std::string, int> kinds;
  int open = 0, accepted = 0;
  for (const json &d : r.at("doubts"))
    if (d.at("state") == "open")
      ++open, ++kinds[d.at("kind").get<std::string>()];
    else
      ++accepted;
  if (open) {
    std::string list;
    for (const auto &[kind, count] : kinds)
      list += (list.empty() ? "" : ", ") + kind + (count > 1 ? fmt::format(" ({})", count) : "");
    against.push_back(fmt::format("{} doubt{} open: {}", open, open == 1 ? " is" : "s are", list));
  }
  std::vector<LeftOver> left;
  for (const json &x : r.value("left_over", json::array()))
    left.push_back({x.at("kind"), x.at("name"), x.at("because")});
  std::string out;
  for (const auto &a : against) out += (out.empty() ? "Issued with reservations: " : "; ") + a;
  if (out.empty()) out = "The global test passes and no doubt is open";
  out += ".";
  out += check_words(r);
  if (accepted) out += fmt::format(" {} doubt{} accepted with a reason.", accepted, accepted == 1 ? " was" : "s were");
  if (!left.empty())
    out += " No part of the result: " + left_over_words(left) + (listed ? " (listed under Doubts)." : ".");
  return out;
}

std::string issue_system_words(const json &r, bool physical) {
  const std::string crs = r.at("crs"), heights = r.at("vertical_name");
  const std::string in_heights = physical ? "Physical heights in " + heights + "." : "Heights are ellipsoidal.";
  if (r.at("marks").empty()) return "Heights" + (heights.empty() ? "" : " in " + heights) + ". No place is issued.";
  if (is_local(crs))
    return fmt::format(
        "Coordinates in a plane of the site's own ({}), heights: {}. It has no relation to a system of the "
        "register; lengths in it are those on the ground at the site's mean height.",
        crs, heights);
  if (r.contains("older_datum"))
    return fmt::format("Coordinates in {} ({}), computed in {} at epoch {:.2f} and led to {}. {}",
                       r.at("crs_name").get<std::string>(), crs, r.at("frame").get<std::string>(),
                       r.at("epoch").get<double>(), r.at("older_datum").at("name").get<std::string>(), in_heights);
  return fmt::format("Coordinates in {} ({}), realised as {} at epoch {:.2f}. {}", r.at("crs_name").get<std::string>(),
                     crs, r.at("frame").get<std::string>(), r.at("epoch").get<double>(), in_heights);
}

ReportTable asked_table(const json &r, int &short_of_it) {
  ReportTable asked{"Accuracy asked for and reached, 95 %",
                    {{"Mark", "", false},
                     {"plan asked", "mm"},
                     {"reached", "mm"},
                     {"class", "", false},
                     {"height asked", "mm"},
                     {"reached", "mm"},
                     {"class", "", false},
                     {"Of", "", false},
                     {"Verdict", "", false}},
                    {}};
  for (const char *list : {"marks", "heights"})
    for (const json &m : r.value(list, json::array())) {
      const auto a = m.find("accuracy");
      if (a == m.end() || a->is_null()) continue;
      std::vector<std::string> row{m.at("name")};
      for (const char *what_of : {"plan", "height"}) {
        const json &p = a->at(what_of);
        if (p.is_null())
          row.insert(row.end(), {"–", "", ""});
        else
          row.insert(row.end(), {fmt::format("{:g}", 1000 * p.at("asked_m").get<double>()),
                                 p.at("reached_m").is_null() ? "not known" : mm(p.at("reached_m")),
                                 p.at("reached_m").is_null() ? "" : accuracy_class(p.at("reached_m"))});
      }
      row.push_back(a->at("of").get<std::string>() + ", height " + a->at("height_of").get<std::string>());
      const json &met = a->at("met");
      row.push_back(met.is_null() ? "UNDETERMINED" : met.get<bool>() ? "reached" : "NOT REACHED");
      short_of_it += met.is_null() || !met.get<bool>();
      asked.rows.push_back(std::move(row));
    }
  return asked;
}

ReportSection signing_section(const json &r) {
  ReportSection s{"Who answers for it", {}, {}};
  std::string authors;
  for (const json &a : r.at("authors")) authors += (authors.empty() ? "" : ", ") + a.get<std::string>();
  s.paragraphs.push_back(authors.empty() ? "Nothing was decided." : "Decided by " + authors + ".");
  const json &c = r.at("second_check");
  if (c.is_null())
    s.paragraphs.push_back("NO second person looked at these coordinates before they were issued.");
  else {
    s.paragraphs.push_back(fmt::format(
        "{} looked at them before they were issued ({} UTC{}): {}.{}", c.at("by").get<std::string>(),
        c.at("time").get<std::string>(),
        c.at("by") == c.at("entered_by") ? "" : ", entered by " + c.at("entered_by").get<std::string>(),
        c.at("looked").get<std::string>(),
        c.at("remark").get<std::string>().empty() ? "" : " Remark: " + c.at("remark").get<std::string>() + "."));
    s.paragraphs.push_back("What was looked at is what is issued: the coordinates did not change in between.");
  }
  ReportTable sign{
      "", {{"", "", false}, {"Name", "", false}, {"Place and day", "", false}, {"Signature", "", false}}, {}};
  sign.rows = {{"Surveyor in charge", "", "", ""},
               {"Second person", c.is_null() ? "" : c.at("by").get<std::string>(), "", ""}};
  s.tables.push_back(std::move(sign));
  return s;
}

ReportSection since_section(const json &x, const json &record) {
  const json &marks = record.at("marks");
  ReportSection s{"Since the last issue", {}, {}};
  const auto names = [](const json &list) {
    std::string out;
    for (const json &n : list) out += (out.empty() ? "" : ", ") + n.get<std::string>();
    return out;
  };
  const std::size_t moved = x.at("moved").size(), same = marks.size() - moved - x.at("new").size();
  s.paragraphs.push_back(!x.at("comparable").get<bool>()
                             ? fmt::format("The last issue, {} of {} UTC, was in another system: it is not compared.",
                                           x.at("id").get<std::string>(), x.at("time").get<std::string>())
                             : fmt::format("Against {} of {} UTC: {} mark{} moved, {} as {}.",
                                           x.at("id").get<std::string>(), x.at("time").get<std::string>(), moved,
                                           moved == 1 ? "" : "s", same, same == 1 ? "it was" : "they were"));
  if (!x.at("new").empty()) s.paragraphs.push_back("New: " + names(x.at("new")) + ".");
  if (!x.at("gone").empty()) s.paragraphs.push_back("Issued then and not now: " + names(x.at("gone")) + ".");
  ReportTable t{"Moved, now less then", {{"Mark", "", false}, {"East", "mm"}, {"North", "mm"}, {"Height", "mm"}}, {}};
  std::vector<DrawnMovement> movements;
  for (const json &m : x.at("moved")) {
    t.rows.push_back({m.at("name"), mm(m.at("de_m")), mm(m.at("dn_m")), mm(m.at("dh_m"))});
    movements.push_back({m.at("name"), m.at("de_m"), m.at("dn_m")});
  }
  if (ReportDrawing d = movement_drawing(record, movements, 720, 230); !d.lines.empty())
    s.drawings.push_back(std::move(d));
  if (!t.rows.empty()) s.tables.push_back(std::move(t));
  if (!x.at("sources").empty()) s.paragraphs.push_back("Taken since: " + names(x.at("sources")) + ".");
  ReportTable d{"Decided since", {{"No."}, {"Decision", "", false}}, {}};
  for (const json &y : x.at("decisions")) d.rows.push_back({std::to_string(y.at("seq").get<long>()), y.at("text")});
  if (!d.rows.empty()) s.tables.push_back(std::move(d));
  return s;
}

ReportSection method_section(const json &r) {
  ReportSection s{"Method", {}, {}};
  const bool vectors = !r.at("vectors").empty();
  if (vectors)
    s.paragraphs.push_back(
        "Vectors between receivers from double differences of carrier phases, integers by the least-squares ambiguity "
        "decorrelation adjustment (Teunissen 1995) where a test of their failure rate lets them be fixed (Verhagen and "
        "Teunissen 2013); antennas by their calibrations, troposphere after Saastamoinen (1972) with an estimated "
        "rest.");
  const json measured = r.value("measured", json::array());
  if (std::any_of(measured.begin(), measured.end(),
                  [](const json &m) { return m.at("used").get<bool>() && m.at("kind") == "stop"; }))
    s.paragraphs.push_back(
        "Stops of a moving receiver from its track: double differences of every epoch in a filter forward and backward "
        "in time, integers as for vectors and held where both directions agree; the mean of a stop with the "
        "correlation of its epochs, the stops of a track with what they share.");
  s.paragraphs.push_back(
      "One least-squares adjustment of everything that was measured, each kind weighted by its stated accuracy; held "
      "marks as the table Held marks says. Global test of the variance factor, single tests after Baarda (1968) with "
      "smallest detectable errors; accuracies as covariances of the adjustment, 95 % as stated above.");
  s.paragraphs.push_back("Systems and the ways between them by the register of " + r.at("register").get<std::string>() +
                         ". Computed with " + r.at("program").get<std::string>() + ".");
  if (ReportTable t = instrument_table(r.value("instruments", json::array())); !t.rows.empty())
    s.tables.push_back(std::move(t));
  return s;
}

} // namespace ampletie
