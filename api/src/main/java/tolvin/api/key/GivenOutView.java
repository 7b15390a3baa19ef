package tolvin.api.key;

import java.util.List;

/** A key in every form, and for every account where it stands. */
public record GivenOutView(List<FormView> forms, List<PlaceView> places) {}
