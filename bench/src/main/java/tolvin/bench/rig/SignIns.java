package tolvin.bench.rig;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;

/**
 * What the clients of the rig met.
 *
 * @param all sign-ins that were tried
 * @param failed those that failed, by what ssh said
 */
record SignIns(long all, Map<Cause, Integer> failed) {

  /** Why a sign-in failed. */
  enum Cause {
    /** The server accepted none of the keys: that is what must never happen. */
    REFUSED,
    /** The file was exchanged between the client's two readings of it. */
    READ_TWICE,
    /** The server was not there, was stopped, or the session was cut. */
    SERVER_AWAY
  }

  static SignIns of(RigEstate estate) throws IOException {
    return of(estate, estate.pairs);
  }

  /** What some of the clients met. */
  static SignIns of(RigEstate estate, List<RigEstate.Pair> pairs) throws IOException {
    long all = 0;
    Map<Cause, Integer> failed = new TreeMap<>();
    for (RigEstate.Pair pair : pairs) {
      Path log = estate.log(pair);
      if (!Files.exists(log)) {
        continue;
      }
      for (String line : Files.readAllLines(log)) {
        String[] words = line.split(" ", 4);
        all++;
        boolean swapped = line.contains("contents do not match public");
        if (!words[2].equals("0")) {
          boolean refused = line.contains("Permission denied");
          Cause cause = swapped ? Cause.READ_TWICE : refused ? Cause.REFUSED : Cause.SERVER_AWAY;
          failed.merge(cause, 1, Integer::sum);
          if (cause != Cause.SERVER_AWAY) {
            System.err.println(pair.login() + ": " + line);
          }
        }
      }
    }
    return new SignIns(all, failed);
  }

  int count(Cause cause) {
    return failed.getOrDefault(cause, 0);
  }
}
