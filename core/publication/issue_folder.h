#pragma once
#include "publication/issue.h"

namespace ampletie {

/// Issues: the files are written whole into a folder of their own beside the one asked for, then the record is
/// committed to the job, then the folder gets its name, so that at no instant a folder names a record that the job has
/// not, or holds files of two issues. A folder that is missing or empty is taken; one with an earlier issue is kept
/// beside under its name and its record's id; any other, and a link, is refused. Returns the sentences of what else was
/// done. Throws `InputError`: before the record is committed nothing has changed.
std::string issue_into(Job &job, const IssuePackage &p, const std::string &folder);

} // namespace ampletie
