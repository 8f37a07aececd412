/* Put before a program with LD_PRELOAD, to make its disk slow or full.
   BANDEJO_FAULT_FLUSH_US  each flush takes this many microseconds more.
   BANDEJO_FAULT_FULL      while this file exists, no regular file can be written. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <sys/uio.h>
#include <unistd.h>

static void slow(void)
{
    const char *us = getenv("BANDEJO_FAULT_FLUSH_US");
    if (us) usleep((useconds_t)atoi(us));
}

static int full(int fd)
{
    const char *flag = getenv("BANDEJO_FAULT_FULL");
    struct stat about;
    if (!flag || access(flag, F_OK) != 0 || fstat(fd, &about) != 0 || !S_ISREG(about.st_mode)) return 0;
    errno = ENOSPC;
    return 1;
}

#define REAL(name) static __typeof__(&name) real; if (!real) real = (__typeof__(&name))dlsym(RTLD_NEXT, #name)

int fsync(int fd) { REAL(fsync); slow(); return real(fd); }
int fdatasync(int fd) { REAL(fdatasync); slow(); return real(fd); }
ssize_t write(int fd, const void *from, size_t count) { REAL(write); return full(fd) ? -1 : real(fd, from, count); }
ssize_t pwrite(int fd, const void *from, size_t count, off_t at) { REAL(pwrite); return full(fd) ? -1 : real(fd, from, count, at); }
ssize_t pwrite64(int fd, const void *from, size_t count, off64_t at) { REAL(pwrite64); return full(fd) ? -1 : real(fd, from, count, at); }
