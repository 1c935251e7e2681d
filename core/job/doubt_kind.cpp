#include "job/doubt_kind.h"
#include "base/hash.h"
#include <iterator>

namespace ampletie {
namespace {
using K = DoubtKind;
constexpr DoubtKindInfo kind_table[] = {
    {K::source_damaged, "source-damaged", "source damaged", "source-damaged", "source damaged"},
    {K::decision_does_not_count, "decision-does-not-count", "decision does not count", "decision-does-not-count",
     "decision does not count"},
    {K::decision_without_target, "decision-without-target", "decision about what is gone", "decision-without-target",
     "decision about what is gone"},
    {K::not_computed, "not-computed", "not computed", "not-computed", "not computed"},
    {K::file_cut_off, "file-cut-off", "file cut off", "file-cut-off", "file cut off"},
    {K::mark_without_a_name, "mark-without-a-name", "mark without a name", "mark-without-a-name",
     "mark without a name"},
    {K::less_understood_than_before, "less-understood-than-before", "less understood than before",
     "less-understood-than-before", "less understood than before"},
    {K::units_or_digits, "units-or-digits", "units or digits", "units-or-digits", "units or digits"},
    {K::same_book_twice, "same-book-twice", "same book twice?", "same-book-twice", "same book twice?"},
    {K::does_not_belong_here, "does-not-belong-here", "does not belong here", "does-not-belong-here",
     "does not belong here"},
    {K::heights_of_another_system, "heights-of-another-system", "heights of another system",
     "heights-of-another-system", "heights of another system"},
    {K::far_from_the_job, "far-from-the-job", "far from the job", "far-from-the-job", "far from the job"},
    {K::antenna_unknown, "antenna-unknown", "antenna unknown", "antenna-unknown", "antenna unknown"},
    {K::height_suspicious, "height-suspicious", "height suspicious", "height-suspicious", "height suspicious"},
    {K::centring_suspicious, "centring-suspicious", "centring suspicious", "centring-suspicious",
     "centring suspicious"},
    {K::excentric_antenna, "excentric-antenna", "excentric antenna", "excentric-antenna", "excentric antenna"},
    {K::two_receivers_on_one_mark, "two-receivers-on-one-mark", "two receivers on one mark",
     "two-receivers-on-one-mark", "two receivers on one mark"},
    {K::pressure_unlikely, "pressure-unlikely", "pressure unlikely", "pressure-unlikely", "pressure unlikely"},
    {K::same_mark, "same-mark", "same mark?", "same-mark", "same mark?"},
    {K::vector_not_solved, "vector-not-solved", "vector not solved", "vector-not-solved", "vector not solved"},
    {K::vector_not_fixed, "vector-not-fixed", "vector not fixed", "vector-not-fixed", "vector not fixed"},
    {K::ratio_low, "ratio-low", "ratio low", "ratio-low", "ratio low"},
    {K::vector_noisy, "vector-noisy", "vector noisy", "vector-noisy", "vector noisy"},
    {K::short_overlap, "short-overlap", "short overlap", "short-overlap", "short overlap"},
    {K::ocean_loading_missing, "ocean-loading-missing", "ocean loading missing", "ocean-loading-missing",
     "ocean loading missing"},
    {K::loop_does_not_close, "loop-does-not-close", "loop does not close", "loop-does-not-close",
     "loop does not close"},
    {K::session_does_not_close, "session-does-not-close", "session does not close", "session-does-not-close",
     "session does not close"},
    {K::repeated_vectors_differ, "repeated-vectors-differ", "repeated vectors differ", "repeated-vectors-differ",
     "repeated vectors differ"},
    {K::level_file_not_understood, "level-file-not-understood", "level file not understood",
     "level-file-not-understood", "level file not understood"},
    {K::height_claimed_otherwise, "height-claimed-otherwise", "height claimed otherwise", "height-claimed-otherwise",
     "height claimed otherwise"},
    {K::run_cannot_be_used, "run-cannot-be-used", "run cannot be used", "run-cannot-be-used", "run cannot be used"},
    {K::setup_questionable, "set-up-questionable", "set-up questionable", "set-up-questionable", "set-up questionable"},
    {K::level_line_misses, "level-line-misses", "level line misses", "level-line-misses", "level line misses"},
    {K::level_loop_misses, "level-loop-misses", "level loop misses", "level-loop-misses", "level loop misses"},
    {K::level_line_beyond_accuracy, "level-line-beyond-accuracy", "closure beyond the stated accuracy",
     "level-line-misses", "level line misses"},
    {K::level_loop_beyond_accuracy, "level-loop-beyond-accuracy", "closure beyond the stated accuracy",
     "level-loop-misses", "level loop misses"},
    {K::fore_and_back_differ, "fore-and-back-differ", "fore and back differ", "fore-and-back-differ",
     "fore and back differ"},
    {K::two_runs_differ, "two-runs-differ", "two runs differ", "fore-and-back-differ", "fore and back differ"},
    {K::certificate_run_out, "certificate-run-out", "certificate run out", "certificate-run-out",
     "certificate run out"},
    {K::field_book_not_read, "field-book-not-read", "field book not read", "field-book-not-read",
     "field book not read"},
    {K::field_book_trouble, "field-book-trouble", "field book", "field-book-trouble", "field book"},
    {K::spread_too_wide, "spread-too-wide", "spread too wide", "spread-too-wide", "spread too wide"},
    {K::length_differs_there_and_back, "length-differs-there-and-back", "length differs there and back",
     "length-differs-there-and-back", "length differs there and back"},
    {K::height_differs_there_and_back, "height-differs-there-and-back", "height differs there and back",
     "height-differs-there-and-back", "height differs there and back"},
    {K::known_mark_missed, "known-mark-missed", "known mark missed", "known-mark-missed", "known mark missed"},
    {K::angles_do_not_close, "angles-do-not-close", "angles do not close", "angles-do-not-close",
     "angles do not close"},
    {K::traverse_does_not_close, "traverse-does-not-close", "traverse does not close", "traverse-does-not-close",
     "traverse does not close"},
    {K::traverse_heights_do_not_close, "traverse-heights-do-not-close", "traverse heights do not close",
     "traverse-heights-do-not-close", "traverse heights do not close"},
    {K::traverse_against_vectors, "traverse-against-vectors", "traverse against vectors", "traverse-against-vectors",
     "traverse against vectors"},
    {K::pressure_suspicious, "pressure-suspicious", "pressure suspicious", "pressure-suspicious",
     "pressure suspicious"},
    {K::places_lie_apart, "places-lie-apart", "places lie apart", "places-lie-apart", "places lie apart"},
    {K::traverse_not_computed, "traverse-not-computed", "traverse not computed", "traverse-not-computed",
     "traverse not computed"},
    {K::local_traverse, "local-traverse", "local traverse", "local-traverse", "local traverse"},
    {K::open_traverse, "open-traverse", "open traverse", "open-traverse", "open traverse"},
    {K::one_mistake_would_do, "one-mistake-would-do", "one mistake would do", "one-mistake-would-do",
     "one mistake would do"},
    {K::stray_setup, "stray-set-up", "stray set-up", "stray-set-up", "stray set-up"},
    {K::weak_free_station, "weak-free-station", "weak free station", "weak-free-station", "weak free station"},
    {K::setup_trouble, "setup-trouble", "set-up", "setup-trouble", "set-up"},
    {K::too_little_left, "too-little-left", "too little left", "too-little-left", "too little left"},
    {K::global_test_failed, "global-test-failed", "global test failed", "global-test-failed", "global test failed"},
    {K::no_redundancy, "no-redundancy", "no redundancy", "no-redundancy", "no redundancy"},
    {K::sight_suspicious, "sight-suspicious", "sight suspicious", "sight-suspicious", "sight suspicious"},
    {K::levels_and_vectors_disagree, "levels-and-vectors-disagree", "levels and vectors disagree",
     "levels-and-vectors-disagree", "levels and vectors disagree"},
    {K::vector_suspicious, "vector-suspicious", "vector suspicious", "vector-suspicious", "vector suspicious"},
    {K::geoid_off, "geoid-off", "geoid off", "geoid-off", "geoid off"},
    {K::no_independent_check, "no-independent-check", "no independent check", "no-independent-check",
     "no independent check"},
    {K::check_mark_differs, "check-mark-differs", "check mark differs", "check-mark-differs", "check mark differs"},
    {K::control_disagrees, "control-disagrees", "control disagrees", "control-disagrees", "control disagrees"},
    {K::no_datum, "no-datum", "no datum", "no-datum", "no datum"},
    {K::outside_the_grid_area, "outside-the-grid-area", "outside the grid's area", "outside-the-grid-area",
     "outside the grid's area"},
    {K::transformation_not_accurate_enough, "transformation-not-accurate-enough", "transformation not accurate enough",
     "transformation-not-accurate-enough", "transformation not accurate enough"},
    {K::datum_not_usable, "datum-not-usable", "datum not usable", "datum-not-usable", "datum not usable"},
    {K::held_without_coordinates, "held-without-coordinates", "held without coordinates", "held-without-coordinates",
     "held without coordinates"},
    {K::velocity_missing, "velocity-missing", "velocity missing", "velocity-missing", "velocity missing"},
    {K::held_without_accuracy, "held-without-accuracy", "held without accuracy", "held-without-accuracy",
     "held without accuracy"},
    {K::no_geoid, "no-geoid", "no geoid", "no-geoid", "no geoid"},
    {K::geoid_without_accuracy, "geoid-without-accuracy", "geoid without accuracy", "geoid-without-accuracy",
     "geoid without accuracy"},
    {K::accuracy_not_reached, "accuracy-not-reached", "accuracy not reached", "accuracy-not-reached",
     "accuracy not reached"},
    {K::differs_from_what_was_issued, "differs-from-what-was-issued", "differs from what was issued",
     "differs-from-what-was-issued", "differs from what was issued"},
    {K::issue_record_damaged, "issue-record-damaged", "issue record damaged", "issue-record-damaged",
     "issue record damaged"},
};
constexpr bool in_order() {
  for (std::size_t i = 0; i < std::size(kind_table); ++i)
    if (static_cast<std::size_t>(kind_table[i].kind) != i) return false;
  return true;
}
static_assert(in_order(), "the rows stand in the order of the kinds");
static_assert(std::size(kind_table) == static_cast<std::size_t>(K::issue_record_damaged) + 1, "every kind has its row");
} // namespace

std::string doubt_id(DoubtKind kind, const std::string &key) {
  return content_id("d", std::string(doubt_kind_info(kind).counts_as) + "|" + key);
}

std::string former_doubt_id(DoubtKind kind, const std::string &key) {
  return content_id("d", std::string(doubt_kind_info(kind).formerly) + "|" + key);
}

const DoubtKindInfo &doubt_kind_info(DoubtKind k) { return kind_table[static_cast<std::size_t>(k)]; }

} // namespace ampletie
