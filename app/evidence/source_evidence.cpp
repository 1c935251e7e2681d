#include "app/evidence/evidence.h"
#include "app/evidence/evidence_html.h"
#include "app/widgets/linework_grid.h"
#include "base/base64.h"
#include "base/error.h"
#include "formats/small_picture.h"
#include <Eigen/Geometry>
#include <QDesktopServices>
#include <QDir>
#include <QLineEdit>
#include <QStandardPaths>
#include <QUrl>

namespace ampletie::app {

/// What lies in the job is written beside and opened there: the job's own bytes are never changed.
void EvidencePanel::open_attachment(const std::string &id, const std::string &name) {
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::TempLocation) + "/ample-tie-attachments";
  QDir().mkpath(folder);
  std::string plain;
  for (const char c : name) plain += std::isalnum(static_cast<unsigned char>(c)) || c == '.' || c == '-' ? c : '_';
  const QString file = folder + "/" + text(id.substr(0, 8)) + "-" + text(plain);
  try {
    write_file(file.toStdString(), w_.job().store().source_bytes(id));
    QDesktopServices::openUrl(QUrl::fromLocalFile(file));
  } catch (const std::exception &e) {
    Q_EMIT w_.message(QString::fromUtf8(e.what()), true);
  }
}

void EvidencePanel::about_source(QString &html, const std::string &id) {
  for (const auto &c : w_.job().snapshot()->contents()) {
    if (c.source.id != id) continue;
    html += heading("Source", escaped(c.source.name), text(c.source.kind), ink::accepted);
    html += "<table cellspacing='0'>" + row("taken", text(c.source.taken_at)) +
            "</table><p style='color:#6F7B83;font-size:8pt'>SHA-256 " + text(c.source.id) + "</p>";
    html += "<p>The file lies in the job byte for byte and is never changed; corrections lie over it as decisions.</p>";
    if (c.geoid)
      about_geoid(html, c);
    else if (c.shift)
      about_shifts(html, c);
    else if (c.source.kind == "linework")
      about_linework(html, c);
    else if (c.attachment)
      about_attachment(html, c);
    else
      html += part("First lines") + source_lines(id, 3);
    if (c.solution || (!c.no_solution.empty() && c.control->rows.size() > 1)) about_solution(html, c);
  }
}

QString EvidencePanel::picture_html(const SourceContent &c) const {
  static QHash<QString, QString> made; // those that came without a small one: decoded once
  const QString id = text(c.source.id);
  if (c.attachment->thumbnail.empty() && !made.contains(id)) {
    constexpr int side = 240;
    std::string small;
    try {
      if (c.attachment->type.find("PDF") == std::string::npos)
        small = small_picture(w_.job().store().source_bytes(c.source.id), side);
    } catch (const std::exception &) {
      // Its own doubt says that it is damaged.
    }
    made[id] = text(to_base64(small));
  }
  const QString bytes = c.attachment->thumbnail.empty() ? made.value(id) : text(to_base64(c.attachment->thumbnail));
  return bytes.isEmpty() ? QString() : "<img src='data:image/jpeg;base64," + bytes + "'/>";
}

/// A picture or a paper: small, what it says of itself, what it belongs to.
void EvidencePanel::about_attachment(QString &html, const SourceContent &c) {
  const Attachment &a = *c.attachment;
  html += part("Attachment") + "<p>" + text(a.type);
  if (a.width > 0) html += QString(", %1 × %2").arg(a.width).arg(a.height);
  if (!a.taken.empty()) html += ", taken " + escaped(a.taken) + " by its clock";
  if (a.lat_deg) html += QString(", at %1° %2°").arg(*a.lat_deg, 0, 'f', 6).arg(*a.lon_deg, 0, 'f', 6);
  html += ". What stands in it is not read.</p>";
  if (const QString picture = picture_html(c); !picture.isEmpty()) html += "<p>" + picture + "</p>";
  const auto of = w_.job().state().attachments.find(c.source.id);
  const Occupation *o = of == w_.job().state().attachments.end() ? nullptr : w_.occupation(of->second.value);
  html +=
      of == w_.job().state().attachments.end()
          ? QString("<p style='color:#B87311'><b>It belongs to nothing yet.</b> Type its mark under Intake, Sources, "
                    "in the column <i>Belongs to</i>.</p>")
          : "<p>It belongs to <b>" + escaped(o ? occupation_name(*o) : of->second.value) + "</b>.</p>";
  const std::string id = c.source.id, name = c.source.name;
  add_action(
      "Open it", "With the program that the desktop has for it", [this, id, name] { open_attachment(id, name); },
      false);
}

/// Lines of the site: how many, where they lie against the job's marks, drawn or not.
void EvidencePanel::about_linework(QString &html, const SourceContent &c) {
  html += part("Lines of the site");
  if (c.linework) {
    html += "<p>" + escaped(linework_words(*c.linework)) + ".</p>";
    Eigen::AlignedBox2d lines, marks;
    try {
      const LineworkInGrid into(*c.linework, w_.job().state().settings.datum.crs);
      for (const Linework::Line &l : c.linework->lines) {
        const QPointF p = into(l.points.front());
        lines.extend(Eigen::Vector2d(p.x(), p.y()));
      }
    } catch (const InputError &e) {
      lines.setEmpty();
      html += "<p style='color:#B87311'><b>It is not drawn:</b> " + escaped(e.reason()) + ".</p>";
    }
    for (const PlanMark &m : w_.plan_marks()) marks.extend(Eigen::Vector2d(m.east, m.north));
    if (!lines.isEmpty() && !marks.isEmpty() && lines.exteriorDistance(marks.center()) > 5000 + marks.diagonal().norm())
      html +=
          QString("<p style='color:#B87311'><b>It lies %1 km from the job's marks</b>: in another system or unit, or "
                  "with its axes exchanged.</p>")
              .arg(lines.exteriorDistance(marks.center()) / 1000, 0, 'f', 0);
  } else
    html += "<p>Left out: it is not drawn.</p>";
  const std::string id = c.source.id;
  const bool drawn = c.linework != nullptr;
  add_action(
      drawn ? "Do not draw it" : "Draw it", "Behind the marks of every plan",
      [this, id, drawn] { w_.decide(drawn ? "leave-out" : "use", id, nlohmann::json::object(), reason_->text()); },
      drawn);
}

/// Stations that were estimated together: as a control list alone, or as vectors too.
void EvidencePanel::about_solution(QString &html, const SourceContent &c) {
  html += part("Estimated together");
  if (!c.solution) {
    html += "<p>" + escaped(c.no_solution) + ".</p>";
    return;
  }
  const auto said = w_.job().state().differences.find(c.source.id);
  const bool used = said != w_.job().state().differences.end() && said->second.value;
  html += QString("<p>%1 stations with their joint covariance%2. ")
              .arg(c.solution->stations.size())
              .arg(c.solution->constraints_removed ? ", from which what was put in beforehand is taken off" : "");
  html += used
              ? "<b style='color:#0B6E75'>Its differences are vectors of the network</b>, from one of its stations to "
                "the others.</p>"
              : "<span style='color:#6F7B83'>Its stations are a control list; its differences take no part.</span></p>";
  const std::string target = "source:" + c.source.id;
  add_action(
      used ? "No vectors from it" : "Its differences as vectors",
      "One block of observations with everything they share",
      [this, target, used] {
        w_.decide("set", target, {{"vectors", !used}}, reason_->text());
      },
      false);
}

/// Heights through a grid: what it says of itself, whether it is used, and the decision for or against it.
void EvidencePanel::about_geoid(QString &html, const SourceContent &c) {
  const HeightGrid &g = *c.geoid;
  const bool used = w_.job().snapshot()->geoid_choice().source == c.source.id;
  const auto said = [](const std::string &t) { return t.empty() ? QString("not said") : escaped(t); };
  html += part("Grid of a geoid") + "<table cellspacing='0'>" + row("model", escaped(g.name)) +
          row("nodes", QString("%1 × %2, every %3°").arg(g.rows).arg(g.columns).arg(g.step_lat, 0, 'g', 4)) +
          row("reaches", escaped(g.extent_words())) + row("surface", said(g.surface)) +
          row("permanent tide", said(g.tide)) + row("ellipsoid", said(g.ellipsoid)) + "</table>";
  html += used ? "<p style='color:#0B6E75'><b>Physical heights go through this grid</b>, read " +
                     text(interpolation_name(w_.job().snapshot()->geoid_choice().interpolation)) +
                     ". How good it is stands in the settings (Geoid, Geoid correlation).</p>"
               : QString("<p style='color:#6F7B83'>Physical heights do not go through this grid.</p>");
  const std::string target = "source:" + c.source.id;
  add_action(
      used ? "No longer through it" : "Heights through this grid", "Physical heights of all marks follow",
      [this, target, used] {
        w_.decide("set", target, {{"geoid", !used}}, reason_->text());
      },
      false);
  if (!used) {
    const bool says = w_.job().snapshot()->geoid_choice().accuracy_source == c.source.id;
    add_action(
        says ? "Not its accuracy" : "Accuracy of the geoid", "Its values are standard deviations of another grid",
        [this, target, says] {
          w_.decide("set", target, {{"accuracy", !says}}, reason_->text());
        },
        false);
    return;
  }
  const bool cubic = w_.job().snapshot()->geoid_choice().interpolation == GridInterpolation::bicubic;
  add_action(
      cubic ? "Read it bilinear" : "Read it bicubic", "As the model was made to be read",
      [this, target, cubic] {
        w_.decide("set", target, {{"interpolation", cubic ? "bilinear" : "bicubic"}}, reason_->text());
      },
      false);
}

/// A grid of shifts: what it leads between, and whether the job's grid is reached through it.
void EvidencePanel::about_shifts(QString &html, const SourceContent &c) {
  const bool used = w_.job().snapshot()->shift_choice().source == c.source.id;
  html += part("Grid of shifts") + "<table cellspacing='0'>" + row("from", escaped(c.shift->from)) +
          row("to", escaped(c.shift->to)) + row("reaches", escaped(c.shift->extent_words())) + "</table>";
  html += used ? "<p style='color:#0B6E75'><b>The job's grid is reached through these shifts</b>: they lead from its "
                 "datum to the frame that the job is computed in.</p>"
               : QString("<p style='color:#6F7B83'>The job's grid is not reached through these shifts. Control lists "
                         "and further systems name them by themselves (Datum).</p>");
  const std::string target = "source:" + c.source.id;
  add_action(
      used ? "No longer through it" : "The job's grid through it", "Only where the grid rests on an older datum",
      [this, target, used] {
        w_.decide("set", target, {{"shifts", !used}}, reason_->text());
      },
      false);
}

} // namespace ampletie::app
