/* Holds up renames onto a path for as long as a file says so: a disk or a file system that is stuck.
 * Loaded into an SSH server with LD_PRELOAD. CONTROL is the file; it holds a part of the path. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

static int is_held(const char *to) {
  char part[512];
  int file = open(CONTROL, O_RDONLY | O_CLOEXEC);
  if (file < 0) return 0;
  ssize_t length = read(file, part, sizeof part - 1);
  close(file);
  if (length <= 0) return 0;
  part[length] = 0;
  return strstr(to, part) != NULL;
}

int rename(const char *from, const char *to) {
  int (*real)(const char *, const char *) = dlsym(RTLD_NEXT, "rename");
  for (int i = 0; i < 6000 && is_held(to); i++) usleep(100000);
  return real(from, to);
}
