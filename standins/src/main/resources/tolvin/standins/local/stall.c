/* Trouble with a disk, for an SSH server that is loaded with this by LD_PRELOAD: renames onto a path are held
 * up, or no new file can be made there, for as long as a file says so. CONTROL is that file for renames,
 * CONTROL ".full" the one for new files; each holds a part of the path. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <stdarg.h>
#include <string.h>
#include <sys/types.h>
#include <unistd.h>

static int is_meant(const char *control, const char *path) {
  char part[512];
  int (*real)(const char *, int, ...) = dlsym(RTLD_NEXT, "open");
  int file = real(control, O_RDONLY | O_CLOEXEC);
  if (file < 0) return 0;
  ssize_t length = read(file, part, sizeof part - 1);
  close(file);
  if (length <= 0) return 0;
  part[length] = 0;
  return strstr(path, part) != NULL;
}

int rename(const char *from, const char *to) {
  int (*real)(const char *, const char *) = dlsym(RTLD_NEXT, "rename");
  for (int i = 0; i < 6000 && is_meant(CONTROL, to); i++) usleep(100000);
  return real(from, to);
}

/* Files that are made anew; nothing else is looked at, since a server that has not let anybody in yet may
 * not make the calls that looking takes. */
static int made_anew(const char *name, const char *path, int flags, mode_t mode) {
  int (*real)(const char *, int, ...) = dlsym(RTLD_NEXT, name);
  if ((flags & (O_CREAT | O_EXCL)) == (O_CREAT | O_EXCL) && is_meant(CONTROL ".full", path)) {
    errno = ENOSPC;
    return -1;
  }
  return real(path, flags, mode);
}

#define OPEN(name)                                    \
  int name(const char *path, int flags, ...) {        \
    mode_t mode = 0;                                  \
    if (flags & O_CREAT) {                            \
      va_list arguments;                              \
      va_start(arguments, flags);                     \
      mode = va_arg(arguments, mode_t);               \
      va_end(arguments);                              \
    }                                                 \
    return made_anew(#name, path, flags, mode);       \
  }

OPEN(open)
OPEN(open64)
