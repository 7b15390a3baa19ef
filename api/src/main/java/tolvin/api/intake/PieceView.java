package tolvin.api.intake;

import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.rulebook.VerdictView;

/**
 * One piece of what was pasted.
 *
 * @param number counted from 1
 * @param line the line on which it starts
 * @param lines how many lines it takes
 * @param form the notation, absent if none was recognised
 * @param outcome key, certificate, question or refused
 * @param registeredAs the id of the live registration of the same key
 * @param registeredFor whom that is for
 * @param verdict the rulebook's verdict on the key by itself
 * @param mayGo the verdict at each destination, if there are few pieces
 */
public record PieceView(
    int number,
    long line,
    long lines,
    @Nullable String form,
    String outcome,
    List<CorrectionView> corrections,
    @Nullable ReadKeyView key,
    @Nullable CertificateView certificate,
    @Nullable String question,
    @Nullable List<ChoiceView> choices,
    @Nullable RefusalView refusal,
    @Nullable UUID registeredAs,
    @Nullable String registeredFor,
    @Nullable VerdictView verdict,
    @Nullable List<AdmissionView> mayGo) {}
