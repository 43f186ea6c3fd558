/* Preloaded: counts the calls that change files, and at a chosen one kills the process or lets the call fail. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <stdarg.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <unistd.h>

static long left = -1;
static int way = 0;
static int done = 0;

/* `at`: how many calls go well before; `how`: 0 kill, -1 short write, else the errno. */
void shim_arm(long at, int how) { left = at; way = how; done = 0; }
int shim_done(void) { left = -1; return done; }

static int fails(void) {
    if (left < 0) return 0;
    if (left-- > 0) return 0;
    done = 1;
    if (way == 0) _exit(99);
    if (way == -1) return 0;
    errno = way;
    return 1;
}

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

ssize_t write(int fd, const void *data, size_t size) {
    long before = left;
    if (fails()) return -1;
    if (way == -1 && before == 0 && size > 1) size = size / 2;
    return REAL(write)(fd, data, size);
}
int fsync(int fd) { return fails() ? -1 : REAL(fsync)(fd); }
int fdatasync(int fd) { return fails() ? -1 : REAL(fdatasync)(fd); }
int ftruncate(int fd, off_t size) { return fails() ? -1 : REAL(ftruncate)(fd, size); }
int rename(const char *from, const char *to) { return fails() ? -1 : REAL(rename)(from, to); }
int unlink(const char *path) { return fails() ? -1 : REAL(unlink)(path); }
int chmod(const char *path, mode_t mode) { return fails() ? -1 : REAL(chmod)(path, mode); }
int mkdir(const char *path, mode_t mode) { return fails() ? -1 : REAL(mkdir)(path, mode); }

static int opened(const char *name, const char *path, int flags, mode_t mode) {
    if ((flags & (O_CREAT | O_TRUNC)) && fails()) return -1;
    return ((int (*)(const char *, int, ...))dlsym(RTLD_NEXT, name))(path, flags, mode);
}
int open(const char *path, int flags, ...) {
    va_list rest;
    va_start(rest, flags);
    mode_t mode = va_arg(rest, mode_t);
    va_end(rest);
    return opened("open", path, flags, mode);
}
int open64(const char *path, int flags, ...) {
    va_list rest;
    va_start(rest, flags);
    mode_t mode = va_arg(rest, mode_t);
    va_end(rest);
    return opened("open64", path, flags, mode);
}
