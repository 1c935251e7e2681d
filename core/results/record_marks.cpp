#include "results/record_marks.h"
#include "base/error.h"
#include "base/text.h"
#include "results/job_results.h"
#include "results/measured.h"
#include "time/gps_time.h"

namespace ampletie {

Eigen::MatrixXd turned(const Eigen::MatrixXd &cov, const std::vector<Mat3> &turns) {
  Eigen::MatrixXd out(cov.rows(), cov.cols());
  for (std::size_t i = 0; i < turns.size(); ++i)
    for (std::size_t k = 0; k < turns.size(); ++k) {
      const auto row = static_cast<Eigen::Index>(3 * i), column = static_cast<Eigen::Index>(3 * k);
      out.block<3, 3>(row, column) = turns[i] * cov.block<3, 3>(row, column) * turns[k].transpose();
    }
  return (out + out.transpose()) / 2;
}

bool is_record(const SourceContent &c) {
  // A record is no table of text, and says that it is one.
  return c.control && !c.control->rows.empty() &&
         (c.control->joint || (!c.text && !c.control->rows.front().origin.empty()));
}

RecordMarks record_marks(const JobSnapshot &s, const SourceContent &record, const std::set<std::string> &wanted,
                         const JobDatum &datum, double epoch) {
  const ControlList &list = *record.control;
  if (!list.joint)
    throw InputError("the record keeps no covariance of its marks together (of more than 300 marks none is kept)");
  const OperationPolicy policy = operation_policy(s.state().settings);
  std::map<std::string, const ControlRow *> rows;
  for (const ControlRow &r : list.rows) rows[r.mark] = &r;
  RecordMarks out;
  std::vector<Eigen::Index> taken;
  for (std::size_t i = 0; i < list.joint->marks.size(); ++i) {
    const auto row = rows.find(list.joint->marks[i]);
    const std::string here = s.state().mark_name(list.joint->marks[i]);
    if (row == rows.end() || !row->second->xyz || !wanted.count(here)) continue;
    out.names.push_back(here);
    out.xyz.push_back(published_at(published_mark(record, *row->second, s.state()), datum, epoch, policy).point.xyz);
    for (int k = 0; k < 3; ++k) taken.push_back(static_cast<Eigen::Index>(3 * i) + k);
  }
  if (out.names.empty()) throw InputError("none of its marks is in the network");
  out.enu = list.joint->enu(taken, taken);
  return out;
}

double observed_year(const JobSnapshot &s, const SourceContent &record) {
  if (const auto said = s.state().observed.find(record.source.id); said != s.state().observed.end())
    return said->second.value;
  if (record.control->observed) return *record.control->observed;
  return parse_number(record.control->rows.front().epoch).value_or(0);
}

double observed_year(const JobSnapshot &s, const NetworkRun &run) {
  double sum = 0;
  int n = 0;
  const auto add = [&](double year) { sum += year, ++n; };
  const std::set<std::string> used(run.vectors.begin(), run.vectors.end());
  for (const VectorResult &v : s.vectors())
    if (used.count(v.id)) add(v.epoch);
  const std::set<std::string> others(run.measured.begin(), run.measured.end());
  for (const MeasuredVector &v : s.get(measured_result()))
    if (others.count(v.id) && v.epoch > 0) add(v.epoch);
  const std::set<std::string> stations(run.stations.begin(), run.stations.end());
  for (const auto &u : s.traverses().field.setups)
    if (stations.count(u->setup.id))
      if (const auto day = parse_iso(u->setup.day)) add(decimal_year(*day));
  return n ? sum / n : s.state().settings.datum.epoch;
}

} // namespace ampletie
