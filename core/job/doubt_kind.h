#pragma once
#include <string>

namespace ampletie {

/// Everything that can be doubted. A new kind is a row here and one in doubt_kind.cpp.
enum class DoubtKind {
  source_damaged,
  decision_does_not_count,
  decision_without_target,
  not_computed,
  file_cut_off,
  mark_without_a_name,
  one_setup_or_two,
  less_understood_than_before,
  units_or_digits,
  same_book_twice,
  does_not_belong_here,
  heights_of_another_system,
  lists_disagree,
  list_without_heights,
  list_not_said,
  list_not_read,
  answer_by_another_antenna,
  answer_by_another_height,
  answer_of_other_data,
  answer_weak,
  base_not_tied,
  far_from_the_job,
  antenna_unknown,
  calibrations_disagree,
  calibration_of_another_frame,
  height_suspicious,
  centring_suspicious,
  excentric_antenna,
  two_receivers_on_one_mark,
  pressure_unlikely,
  same_mark,
  vector_not_solved,
  vector_not_fixed,
  session_not_solved,
  ratio_low,
  vector_noisy,
  short_overlap,
  ocean_loading_missing,
  loop_does_not_close,
  session_does_not_close,
  repeated_vectors_differ,
  level_file_not_understood,
  height_claimed_otherwise,
  run_cannot_be_used,
  setup_questionable,
  level_line_misses,
  level_loop_misses,
  level_line_beyond_accuracy,
  level_loop_beyond_accuracy,
  fore_and_back_differ,
  two_runs_differ,
  certificate_run_out,
  field_book_not_read,
  field_book_trouble,
  spread_too_wide,
  length_differs_there_and_back,
  height_differs_there_and_back,
  known_mark_missed,
  angles_do_not_close,
  traverse_does_not_close,
  traverse_heights_do_not_close,
  traverse_against_vectors,
  pressure_suspicious,
  places_lie_apart,
  traverse_not_computed,
  local_traverse,
  open_traverse,
  one_mistake_would_do,
  stray_setup,
  weak_free_station,
  setup_trouble,
  too_little_left,
  global_test_failed,
  no_redundancy,
  sight_suspicious,
  levels_and_vectors_disagree,
  vector_suspicious,
  geoid_off,
  no_independent_check,
  check_mark_differs,
  control_disagrees,
  no_datum,
  outside_the_grid_area,
  transformation_not_accurate_enough,
  datum_not_usable,
  held_without_coordinates,
  velocity_missing,
  held_without_accuracy,
  no_geoid,
  geoid_without_accuracy,
  geoid_unused,
  geoid_edge,
  geoid_convention,
  fit_not_computed,
  fit_disagrees,
  fit_check_fails,
  fit_unchecked,
  fit_unpaired,
  outside_the_fit,
  accuracy_not_reached,
  differs_from_what_was_issued,
  issue_record_damaged,
};

struct DoubtKindInfo {
  DoubtKind kind;
  const char *code;  ///< for scripts and records: never changed
  const char *words; ///< as shown
  /// The code that makes up a doubt's id: that of another kind where what was accepted of one counts for the other.
  const char *counts_as;
  const char *formerly; ///< what made up its id before codes were given
};
const DoubtKindInfo &doubt_kind_info(DoubtKind k);
/// The id by which decisions accept a doubt, made of its kind and what tells it from others of its kind; and what it
/// was before kinds had codes.
std::string doubt_id(DoubtKind kind, const std::string &key);
std::string former_doubt_id(DoubtKind kind, const std::string &key);
inline const char *words(DoubtKind k) { return doubt_kind_info(k).words; }

} // namespace ampletie
