#include "support/fault_vfs.h"
#include <cstring>
#include <sqlite3.h>
#include <vector>

namespace ampletie::testing {
FaultPlan fault_plan;

namespace {
struct File {
  sqlite3_file base;
  sqlite3_file *real;
};
sqlite3_vfs *real_vfs = nullptr;
sqlite3_vfs shim;
sqlite3_io_methods methods;

sqlite3_file *real(sqlite3_file *f) { return reinterpret_cast<File *>(f)->real; }

bool failing() { return fault_plan.kind != Fault::none && ++fault_plan.seen > fault_plan.operations; }

int x_write(sqlite3_file *f, const void *data, int n, sqlite3_int64 at) {
  if (failing()) {
    if (fault_plan.kind == Fault::full) return SQLITE_FULL;
    // The write on which the power goes is torn; the ones after it never happen.
    if (fault_plan.seen == fault_plan.operations + 1) real(f)->pMethods->xWrite(real(f), data, n / 2, at);
    return SQLITE_IOERR_WRITE;
  }
  return real(f)->pMethods->xWrite(real(f), data, n, at);
}
int x_sync(sqlite3_file *f, int flags) {
  if (failing()) return fault_plan.kind == Fault::full ? SQLITE_FULL : SQLITE_IOERR_FSYNC;
  return real(f)->pMethods->xSync(real(f), flags);
}
int x_truncate(sqlite3_file *f, sqlite3_int64 n) {
  if (failing()) return SQLITE_IOERR_TRUNCATE;
  return real(f)->pMethods->xTruncate(real(f), n);
}
int x_close(sqlite3_file *f) {
  const int code = real(f)->pMethods ? real(f)->pMethods->xClose(real(f)) : SQLITE_OK;
  sqlite3_free(real(f));
  return code;
}
int x_read(sqlite3_file *f, void *d, int n, sqlite3_int64 at) { return real(f)->pMethods->xRead(real(f), d, n, at); }
int x_size(sqlite3_file *f, sqlite3_int64 *n) { return real(f)->pMethods->xFileSize(real(f), n); }
int x_lock(sqlite3_file *f, int l) { return real(f)->pMethods->xLock(real(f), l); }
int x_unlock(sqlite3_file *f, int l) { return real(f)->pMethods->xUnlock(real(f), l); }
int x_reserved(sqlite3_file *f, int *r) { return real(f)->pMethods->xCheckReservedLock(real(f), r); }
int x_control(sqlite3_file *f, int op, void *a) { return real(f)->pMethods->xFileControl(real(f), op, a); }
int x_sector(sqlite3_file *f) { return real(f)->pMethods->xSectorSize(real(f)); }
int x_device(sqlite3_file *f) { return real(f)->pMethods->xDeviceCharacteristics(real(f)); }

int x_open(sqlite3_vfs *, const char *name, sqlite3_file *f, int flags, int *out) {
  auto *file = reinterpret_cast<File *>(f);
  file->real = static_cast<sqlite3_file *>(sqlite3_malloc(real_vfs->szOsFile));
  std::memset(file->real, 0, static_cast<std::size_t>(real_vfs->szOsFile));
  const int code = real_vfs->xOpen(real_vfs, name, file->real, flags, out);
  file->base.pMethods = code == SQLITE_OK ? &methods : nullptr;
  if (code != SQLITE_OK) sqlite3_free(file->real);
  return code;
}
int x_delete(sqlite3_vfs *, const char *name, int sync) {
  // Once the power is gone the journal stays where it is.
  if (failing()) return SQLITE_IOERR_DELETE;
  return real_vfs->xDelete(real_vfs, name, sync);
}
} // namespace

const char *fault_vfs() {
  if (real_vfs) return shim.zName;
  real_vfs = sqlite3_vfs_find(nullptr);
  shim = *real_vfs;
  shim.zName = "fault";
  shim.szOsFile = sizeof(File);
  shim.xOpen = x_open;
  shim.xDelete = x_delete;
  methods = {1,         x_close,  x_read,   x_write, x_truncate, x_sync,  x_size,  x_lock,  x_unlock, x_reserved,
             x_control, x_sector, x_device, nullptr, nullptr,    nullptr, nullptr, nullptr, nullptr};
  sqlite3_vfs_register(&shim, 0);
  return shim.zName;
}

} // namespace ampletie::testing
