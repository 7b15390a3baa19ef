package tolvin.service.record.placement;

import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.authorized.ServerOptions;
import tolvin.core.key.RefusedException;
import tolvin.service.problem.Problem;

/**
 * What limits a placement.
 *
 * @param sources the addresses that the key is good from; empty for all
 * @param endsAt when the destination stops accepting it by itself, to the second; null for never
 * @param more other options of a line of authorized_keys, such as a forced command, one each
 */
public record Limits(List<String> sources, Instant endsAt, List<String> more) {
  /** No limits. */
  public static final Limits NONE = new Limits(List.of(), null, List.of());

  /** Options that have a place of their own, or that would make the line another thing. */
  private static final Set<String> NOT_HERE =
      Set.of("from", "expiry-time", "cert-authority", "principals");

  private static final int MOST = 50;
  private static final Pattern SOURCE = Pattern.compile("!?[A-Za-z0-9.:*?_/-]{1,100}");
  private static final DateTimeFormatter MOMENT =
      DateTimeFormatter.ofPattern("yyyyMMddHHmmss'Z'").withZone(ZoneOffset.UTC);

  /** The limits that somebody asked for. */
  public static Limits asked(
      List<String> sources, Instant endsAt, List<String> options, Instant now) {
    List<String> list = sources == null ? List.of() : sources.stream().map(String::strip).toList();
    if (list.size() > MOST || !list.stream().allMatch(s -> SOURCE.matcher(s).matches())) {
      throw Problem.invalid(
          "A source is no address, network or host name pattern, or there are more than 50.",
          "Give them one by one, such as 10.20.0.0/16 or *.skerrymoor.example.");
    }
    if (endsAt != null && !endsAt.isAfter(now)) {
      throw Problem.invalid("The end lies in the past.", "Give a later one, or none.");
    }
    Limits limits =
        new Limits(
            list,
            endsAt == null ? null : endsAt.truncatedTo(java.time.temporal.ChronoUnit.SECONDS),
            options(options));
    ServerOptions.read(limits.options().toString(), 0)
        .fault()
        .ifPresent(
            fault -> {
              throw Problem.invalid(
                  fault, "Compare it with sshd(8): the server would ignore the key's line.");
            });
    return limits;
  }

  private static List<String> options(List<String> asked) {
    List<String> options = asked == null ? List.of() : asked.stream().map(String::strip).toList();
    try {
      KeyOptions read = KeyOptions.read(String.join(",", options));
      for (KeyOptions.Option option : read.all()) {
        if (NOT_HERE.contains(option.name()) || option.toString().chars().anyMatch(c -> c < ' ')) {
          throw Problem.invalid(
              "The option " + option.name() + " cannot be given like this.",
              "Addresses and the end have fields of their own; authorities are not placed.");
        }
      }
      return read.all().stream().map(KeyOptions.Option::toString).toList();
    } catch (RefusedException e) {
      throw Problem.invalid(e.refusal().sentence(), e.refusal().remedy());
    }
  }

  /** Those of a placement. */
  public static Limits of(PlacementRow row) {
    return new Limits(row.sources, row.endsAt, row.options);
  }

  /** The options that say the same in a line of authorized_keys. */
  public KeyOptions options() {
    List<KeyOptions.Option> options = new ArrayList<>();
    if (!sources.isEmpty()) {
      options.add(new KeyOptions.Option("from", Optional.of(String.join(",", sources))));
    }
    if (endsAt != null) {
      options.add(new KeyOptions.Option("expiry-time", Optional.of(MOMENT.format(endsAt))));
    }
    try {
      options.addAll(KeyOptions.read(String.join(",", more)).all());
    } catch (RefusedException impossible) {
      throw new IllegalStateException("options that were read before", impossible);
    }
    return new KeyOptions(options);
  }
}
