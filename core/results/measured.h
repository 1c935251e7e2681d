#pragma once
#include "formats/vector_list.h"
#include "results/snapshot.h"
#include "results/vectors.h"

namespace ampletie {

/// A vector that others solved, or a fix of real time, as the network takes it: mark to mark, in its own frame.
struct MeasuredVector {
  std::string id, source_id, source_name; ///< id: "x-….LINE" of the source and its line
  long line = 0;
  std::string from, to, from_setup, to_setup, session;
  bool fix = false, stop = false; ///< a fix of real time; a stop of one of the job's own tracks
  Vec3 d = Vec3::Zero();          ///< m
  Mat3 cov = Mat3::Zero();
  std::shared_ptr<const Eigen::MatrixXd> joint; ///< of a solution: the covariance of all its vectors, m²
  Eigen::Index joint_at = 0;                    ///< this one's rows in it begin there
  Mat3 common = Mat3::Zero();                   ///< of a stop: the part that those of its session share, m²
  Frame frame;
  double epoch = 0; ///< decimal year
  enum class Status { fixed, floating, code, unsaid } status = Status::unsaid;
  std::string status_words, time, description, code;
  std::optional<int> epochs, satellites;
  std::optional<double> duration_s;
  bool by_default = false;  ///< nobody states its accuracy: a default weight
  std::string weight_words; ///< "stated", "by default 10 mm + 1 ppm, up 20 mm + 1.5 ppm"
  std::string base_words;   ///< of a fix: where its base was taken to stand
  long base_line = 0;       ///< the line of the list that says it, where that is another one
  std::string problem;      ///< why it cannot be used
  bool check = false;       ///< a deliberate check of the field: compared, never used
  bool used = true;         ///< by decision
  std::string left_out_because;
  bool in_network() const { return used && !check && problem.empty(); }
  const char *kind() const { return stop ? "stop" : fix ? "fix" : "vector"; }
  const char *group() const { return stop ? "stops" : fix ? "fixes" : "measured vectors"; }
  double length() const { return d.norm(); }
  std::string name() const { return from + " → " + to; }
  std::string where() const; ///< "fixes.csv:12"
  std::string name_and_where() const { return name() + " (" + where() + ")"; }
};

/// All of the job's sources; of a SINEX solution whose differences were decided to be observations, the vectors from
/// its first station to the others. A fix is the vector from where its base was taken to stand to where the mark was
/// found, so that it moves along with the base's mark; consecutive rows of one mark within five minutes are one set-up.
std::vector<MeasuredVector> measured_vectors(const JobSnapshot &s);
const Result<std::vector<MeasuredVector>> &measured_result();

/// The vectors of a list by their ids.
std::map<std::string, const MeasuredVector *> measured_by_id(const std::vector<MeasuredVector> &all);

/// The id that such a vector has.
std::string measured_id(const std::string &source_id, long line);

} // namespace ampletie
