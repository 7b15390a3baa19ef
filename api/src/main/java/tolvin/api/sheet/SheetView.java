package tolvin.api.sheet;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.Family;

/** A sheet as it is shown. */
@MayBeRepeated
public record SheetView(
    UUID id,
    String system,
    Family family,
    String about,
    String speaks,
    String connectsWith,
    List<SettingView> settings,
    List<KindView> kinds,
    List<SeatKindView> seatKinds,
    List<String> explanation,
    String text,
    String savedBy,
    Instant savedAt) {}
