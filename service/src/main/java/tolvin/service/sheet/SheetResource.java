package tolvin.service.sheet;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.UUID;
import tolvin.core.sheet.Ability;
import tolvin.core.sheet.SheetText;
import tolvin.core.sheet.SheetWords;
import tolvin.core.sheet.SystemSheet;
import tolvin.core.yaml.Flaw;
import tolvin.service.people.Role;
import tolvin.service.web.Page;

/** System sheets. */
@Path("/api/v1/sheets")
@RolesAllowed(Role.ADMINISTRATOR)
public class SheetResource {
  private final Sheets sheets;
  private final SheetStore store;

  SheetResource(Sheets sheets, SheetStore store) {
    this.sheets = sheets;
    this.store = store;
  }

  /** A sheet to keep or to check. */
  public record SheetWish(String text, String reason) {}

  /**
   * What a check found.
   *
   * @param flaws each with its line; none if the sheet can be used
   * @param explanation what the sheet says, in words; none if there are flaws
   */
  public record SheetCheck(List<Flaw> flaws, String system, List<String> explanation) {}

  /** Something that an administrator is asked for when attaching. */
  public record SettingView(String name, String about, String usual) {}

  /** What an account of a kind can hold. */
  public record KindView(
      String name,
      int slots,
      List<String> slotNames,
      List<String> types,
      int rsaLeast,
      int rsaMost,
      String form,
      Integer longestTitle,
      Duration propagation,
      Duration reportsUse,
      List<String> limits,
      List<String> purposes,
      List<String> access,
      String way) {}

  /** What a seat of a kind can do. */
  public record SeatKindView(String name, boolean keepsFormer, boolean triesItself) {}

  /** A sheet as it is shown. */
  public record SheetView(
      UUID id,
      String system,
      String family,
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

  /** The sheets in force. */
  @GET
  @Transactional
  public Page<SheetView> listSheets() {
    return new Page<>(store.inForce().stream().map(this::view).toList(), null);
  }

  /** One sheet with its text and what it says in words. */
  @GET
  @Path("{id}")
  @Transactional
  public SheetView showSheet(UUID id) {
    return view(store.get(id));
  }

  /** Keeps a sheet; a former one of the same system is replaced by it. */
  @POST
  @Transactional
  public SheetView addSheet(SheetWish wish) {
    return view(sheets.save(wish.text(), wish.reason()));
  }

  /** Checks a sheet without keeping it. */
  @POST
  @Path("check")
  public SheetCheck checkSheet(SheetWish wish) {
    SheetText.Parsed parsed = SheetText.read(wish.text() == null ? "" : wish.text());
    return new SheetCheck(
        parsed.flaws(),
        parsed.sheet().map(SystemSheet::system).orElse(null),
        parsed.sheet().map(SheetWords::of).orElse(List.of()));
  }

  private SheetView view(SheetRow row) {
    SystemSheet sheet = sheets.of(row.id);
    return new SheetView(
        row.id,
        row.system,
        row.family,
        sheet.about(),
        sheet.speech().name().toLowerCase(java.util.Locale.ROOT),
        sheet.connects().with().name().toLowerCase(java.util.Locale.ROOT),
        new TreeMap<>(sheet.settings())
            .entrySet().stream()
                .map(
                    e ->
                        new SettingView(
                            e.getKey(), e.getValue().about(), e.getValue().usual().orElse(null)))
                .toList(),
        sheet.accounts().entrySet().stream().map(SheetResource::kind).toList(),
        sheet.seats().entrySet().stream()
            .map(
                e ->
                    new SeatKindView(
                        e.getKey(), e.getValue().keepsFormer(), e.getValue().trial().isPresent()))
            .toList(),
        SheetWords.of(sheet),
        row.text,
        row.savedBy,
        row.validFrom);
  }

  private static KindView kind(Map.Entry<String, SystemSheet.AccountKind> entry) {
    Ability can = entry.getValue().ability();
    return new KindView(
        entry.getKey(),
        can.slots(),
        can.slotNames(),
        can.types().stream().map(t -> t.word()).sorted().toList(),
        can.rsaLeast(),
        can.rsaMost(),
        can.form().word(),
        can.title().map(Ability.Title::longest).orElse(null),
        can.propagation(),
        can.reportsUse().orElse(null),
        can.limits().stream().sorted().toList(),
        can.purposes().stream().sorted().toList(),
        can.access().stream().sorted().toList(),
        entry.getValue().trial().map(SystemSheet.TrialWay::way).orElse(null));
  }
}
