package tolvin.connectors.http;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.net.http.HttpResponse;
import java.nio.ByteBuffer;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.Flow;

/** Takes a body in as long as it is not larger than it may be. */
public final class BoundedBody implements HttpResponse.BodySubscriber<byte[]> {
  private final int most;
  private final ByteArrayOutputStream bytes = new ByteArrayOutputStream();
  private final CompletableFuture<byte[]> whole = new CompletableFuture<>();
  private Flow.Subscription subscription;

  /** May be as large as this, in bytes. */
  public BoundedBody(int most) {
    this.most = most;
  }

  /** It was larger. */
  public static final class TooLarge extends IOException {
    private static final long serialVersionUID = 1;

    TooLarge(int most) {
      super("the answer is larger than " + most / 1024 + " kB");
    }
  }

  @Override
  public CompletionStage<byte[]> getBody() {
    return whole;
  }

  @Override
  public void onSubscribe(Flow.Subscription given) {
    subscription = given;
    subscription.request(Long.MAX_VALUE);
  }

  @Override
  public void onNext(List<ByteBuffer> parts) {
    for (ByteBuffer part : parts) {
      if (bytes.size() + part.remaining() > most) {
        subscription.cancel();
        whole.completeExceptionally(new TooLarge(most));
        return;
      }
      byte[] chunk = new byte[part.remaining()];
      part.get(chunk);
      bytes.writeBytes(chunk);
    }
  }

  @Override
  public void onError(Throwable wrong) {
    whole.completeExceptionally(wrong);
  }

  @Override
  public void onComplete() {
    whole.complete(bytes.toByteArray());
  }
}
