#pragma once
#include "open_job/job.h"
#include "publication/report.h"

namespace ampletie {

enum class LengthUnit { metre, foot, us_foot };
struct IssueOptions {
  std::vector<std::string> marks; ///< empty: all adjusted marks
  std::optional<LengthUnit> unit; ///< nothing: as the job's choice says
};

/// A set of control ready to be issued: the immutable record and what is written from it. Everything printed comes
/// from the record.
struct IssuePackage {
  IssueRecord record;
  Report sheet;
  std::vector<std::pair<std::string, Report>> more_sheets; ///< name without ending → report, rendered like the sheet
  std::string csv, geojson;
  std::vector<std::pair<std::string, std::string>>
      files; ///< name → bytes, besides record.json; sheets come from render
};

/// Everything that is written from a record, which alone it is written from. `unit`: of records that hold no choice.
IssuePackage written_from(IssueRecord record, LengthUnit unit);

/// A job's choice as a record holds it, and the unit of a record's.
nlohmann::ordered_json choice_object(const IssueChoice &c);
LengthUnit unit_of_choice(const nlohmann::json &choice);

/// Throws `InputError` when the network is missing or out of date, a mark is unknown, or a second person is asked to
/// look at it first and none did since the coordinates changed.
IssuePackage prepare_issue(const Job &job, const IssueOptions &options);

/// Metres to the unit, and the unit's name for headings. 1 ft = 0.3048 m, 1 US survey ft = 1200/3937 m.
double in_unit(double metres, LengthUnit u);
std::string unit_name(LengthUnit u);

} // namespace ampletie
