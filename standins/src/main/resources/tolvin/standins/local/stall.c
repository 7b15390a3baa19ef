/* Trouble with a disk, for an SSH server that is loaded with this by LD_PRELOAD: renames onto a path are held
 * up, or nothing more can be written there, for as long as a file says so. CONTROL is that file for renames,
 * CONTROL ".full" the one for writes; each holds a part of the path. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

static int is_meant(const char *control, const char *path) {
  char part[512];
  int file = open(control, O_RDONLY | O_CLOEXEC);
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

ssize_t write(int file, const void *bytes, size_t length) {
  static ssize_t (*real)(int, const void *, size_t);
  if (real == NULL) real = dlsym(RTLD_NEXT, "write");
  if (access(CONTROL ".full", F_OK) == 0) {
    char name[64], path[1024];
    snprintf(name, sizeof name, "/proc/self/fd/%d", file);
    ssize_t end = readlink(name, path, sizeof path - 1);
    path[end < 0 ? 0 : end] = 0;
    if (is_meant(CONTROL ".full", path)) {
      errno = ENOSPC;
      return -1;
    }
  }
  return real(file, bytes, length);
}
