package tolvin.service.sheet;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.UUID;
import tolvin.api.FlawView;
import tolvin.api.Page;
import tolvin.api.sheet.KindView;
import tolvin.api.sheet.SeatKindView;
import tolvin.api.sheet.SettingView;
import tolvin.api.sheet.SheetCheckView;
import tolvin.api.sheet.SheetRequest;
import tolvin.api.sheet.SheetView;
import tolvin.core.people.TokenScope;
import tolvin.core.sheet.Ability;
import tolvin.core.sheet.SheetText;
import tolvin.core.sheet.SheetWords;
import tolvin.core.sheet.SystemSheet;
import tolvin.service.record.sheet.SheetRow;
import tolvin.service.record.sheet.SheetStore;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

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
  @Needs(TokenScope.ADMINISTER)
  @Transactional
  public SheetView addSheet(SheetRequest request) {
    return view(sheets.save(request.text(), request.reason()));
  }

  /** Checks a sheet without keeping it. */
  @POST
  @Needs(TokenScope.READ)
  @Path("check")
  public SheetCheckView checkSheet(SheetRequest request) {
    SheetText.Parsed parsed = SheetText.read(request.text() == null ? "" : request.text());
    return new SheetCheckView(
        parsed.flaws().stream().map(f -> new FlawView(f.line(), f.sentence())).toList(),
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
                            e.getKey(),
                            e.getValue().about(),
                            e.getValue().usual().orElse(null),
                            false))
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
