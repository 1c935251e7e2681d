#pragma once
#include "results/between.h"

namespace ampletie {

/// Something that is to be measured, and what it is good for.
struct PlannedItem {
  std::string id, kind, name; ///< "session 1", "session", "1"
  std::string words;          ///< "REFA, K7, K8 from 2026-06-02 08:00 for 60 minutes"
  std::string problem;        ///< why it takes no part; empty: it does
  int satellites = 0;         ///< of a session: fewest that a vector has
  double success = 1;         ///< of a session: least chance that a vector's integers are found
  bool fixed = true;          ///< whether they are likely to be
  /// Of its observations: the least redundancy, the largest smallest detectable error and what that may do, m; absent
  /// where it has no redundancy.
  std::optional<double> redundancy, detectable, effect;
  bool tried = false; ///< whether the network was computed without it (of the first forty)
  /// What its absence would cost: by how much the worst 95 % value grows, m, and at which mark. Empty mark: none at
  /// all. "lost": marks that nothing would determine any more.
  double spared_plan = 0, spared_height = 0;
  std::string worst_mark;
  std::vector<std::string> lost;
};

/// Something that is not planned and would help.
struct PlannedHelp {
  std::string id;          ///< what it would be called: "line K7-HB1"
  std::string typed;       ///< as it is typed: "from=K7 to=HB1"
  std::string words;       ///< as of a planned item
  std::string mark;        ///< that it helps most
  double plan = 0, up = 0; ///< by how much its 95 % values become smaller, m
};

/// What the job's plan will reach, together with what is measured already.
struct JobDesign {
  std::vector<PlannedItem> items;                         ///< sessions, lines, stations; marks in `marks`
  std::map<std::string, Eigen::Vector2d> marks;           ///< planned ones, east and north in the job's grid, m
  std::vector<std::pair<std::string, std::string>> lines; ///< between marks, as they are planned
  std::vector<PlannedHelp> helps; ///< single observations more, the one that helps most first; at most five
  /// Where planned marks lie within two metres of one another, the ends of two drives: how far they will miss. Axes
  /// follow what is planned to sight the first of the two.
  std::vector<Breakthrough> meetings;
  std::shared_ptr<const NetworkRun> run; ///< as it would be adjusted; its figures are accuracies, not coordinates
  std::string sky;                       ///< which satellites were taken
  std::string problem;                   ///< why nothing can be said
  bool with_measured = false;            ///< the network has observations already
};

/// Predicts the network with everything planned. Nothing of it touches the job's own network.
JobDesign job_design(const JobSnapshot &s);

} // namespace ampletie
