package tolvin.connectors.partner;

import static tolvin.core.port.FamilyForm.Setting.needed;
import static tolvin.core.port.FamilyForm.Setting.usual;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.connectors.shared.RefusingAccounts;
import tolvin.core.estate.Family;
import tolvin.core.form.Form;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Attached;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.Place;
import tolvin.core.port.WrongSettingException;

/** Partners: nobody but their own administrator can look or change anything. */
public final class PartnerFamily implements DestinationFamily {
  private static final String TO_WHOM = "to-whom";
  private static final String CONTACT = "contact";
  private static final String FORM = "form";

  @Override
  public String name() {
    return "partner";
  }

  @Override
  public Optional<FamilyForm> form() {
    return Optional.of(
        new FamilyForm(
            Family.PARTNER,
            "Partner, whose server only they can change",
            22,
            Optional.empty(),
            FamilyForm.With.NOTHING,
            true,
            false,
            List.of(
                needed(TO_WHOM, "the person who is asked there"),
                needed(CONTACT, "how they are reached, from a list of your own"),
                usual(
                    FORM,
                    "the form of a key that they take: rfc4716, one-line, spki, …",
                    Form.AUTHORIZED_KEYS.word()))));
  }

  @Override
  public Map<String, String> check(Attached asked) throws WrongSettingException {
    String word = asked.settings().get(FORM);
    if (Form.ofWord(word).isEmpty()) {
      throw new WrongSettingException(
          "There is no form “" + word + "” of a public key.",
          "tolvin key give --help lists the forms.");
    }
    return asked.settings();
  }

  @Override
  public Form takes(Map<String, String> settings) {
    return Form.ofWord(settings.get(FORM)).orElseThrow();
  }

  @Override
  public Place account(Attached at, String kind, String login) {
    return new Place.ByHand(at.name(), login);
  }

  @Override
  public AccountPort accounts() {
    return new RefusingAccounts(
        "is changed by its own administrator, and nobody else can look",
        "Hand over what is to be done: tolvin hand-over list");
  }
}
