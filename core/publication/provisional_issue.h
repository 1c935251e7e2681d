#pragma once
#include "publication/issue.h"

namespace ampletie {

/// Provisional coordinates of one traverse, balanced as chosen, ready to be handed out: record, sheet and lists, all of
/// them marked as provisional. Marks that are held or known otherwise are named as what the traverse hangs on and are
/// not issued. Throws `InputError` when there is no such traverse, it cannot be computed or is local, or nothing is
/// left to issue.
IssuePackage prepare_provisional(const Job &job, const std::string &traverse, LengthUnit unit = LengthUnit::metre);
/// What is written from such a record, which alone it is written from.
IssuePackage provisional_from(IssueRecord record, LengthUnit unit);

} // namespace ampletie
