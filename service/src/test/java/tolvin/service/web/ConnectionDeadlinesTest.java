package tolvin.service.web;

import static org.assertj.core.api.Assertions.assertThat;

import io.netty.buffer.Unpooled;
import io.netty.channel.ChannelOutboundBuffer;
import io.netty.channel.embedded.EmbeddedChannel;
import java.time.Duration;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;

/** Connections whose time is the test's. */
class ConnectionDeadlinesTest {
  private static final Duration BIT = Duration.ofSeconds(1);

  /** A client that takes as many bytes as it is let. */
  private static final class Connection extends EmbeddedChannel {
    private long takes;

    private Connection() {
      super(new ConnectionDeadlines.Watch());
      freezeTime();
    }

    @Override
    protected void doWrite(ChannelOutboundBuffer written) {
      long taken = Math.min(takes, written.totalPendingWriteBytes());
      takes -= taken;
      written.removeBytes(taken);
    }

    private void take(long bytes) {
      takes = bytes;
      flush();
    }

    private void pass(Duration time) {
      advanceTimeBy(time.toMillis(), TimeUnit.MILLISECONDS);
      runPendingTasks();
    }

    private void comes(String bytes) {
      writeInbound(Unpooled.copiedBuffer(bytes.getBytes()));
    }

    private void happens(Object event) {
      pipeline().fireUserEventTriggered(event);
    }
  }

  @Test
  void headersHaveATimeHoweverOftenAByteComes() {
    Connection connection = new Connection();
    for (int second = 0; second < ConnectionDeadlines.HEADERS.toSeconds() - 1; second++) {
      connection.pass(BIT);
      connection.comes("x");
    }
    assertThat(connection.isOpen()).isTrue();
    connection.pass(BIT.multipliedBy(2));
    assertThat(connection.isOpen()).isFalse();
  }

  @Test
  void aRequestMayBeWorkedOnForHoursAndIsAnswered() {
    Connection connection = new Connection();
    connection.happens(new ConnectionDeadlines.Complete("first"));
    for (int hour = 0; hour < 3; hour++) {
      connection.pass(Duration.ofHours(1));
    }
    assertThat(connection.isOpen()).isTrue();
    connection.happens(new ConnectionDeadlines.Answered("first"));

    // the next one: its headers have their time, and an event of the one before ends nothing
    connection.pass(ConnectionDeadlines.SILENCE.minus(BIT));
    connection.comes("GET");
    connection.happens(new ConnectionDeadlines.Complete("second"));
    connection.happens(new ConnectionDeadlines.Answered("first"));
    connection.pass(Duration.ofHours(1));
    assertThat(connection.isOpen()).isTrue();
    connection.happens(new ConnectionDeadlines.Answered("second"));
    connection.pass(ConnectionDeadlines.SILENCE.plus(BIT));
    assertThat(connection.isOpen()).as("nothing more was asked").isFalse();
  }

  @Test
  void anAnswerHasTimeAsLongAsSomethingOfItIsTaken() {
    for (boolean whole : new boolean[] {false, true}) {
      Connection connection = new Connection();
      connection.happens(new ConnectionDeadlines.Complete("first"));
      connection.write(Unpooled.wrappedBuffer(new byte[1000]));
      connection.flush();
      if (whole) {
        connection.happens(new ConnectionDeadlines.Answered("first"));
      }
      for (int minute = 0; minute < 10; minute++) {
        connection.take(50);
        connection.pass(ConnectionDeadlines.SILENCE);
        assertThat(connection.isOpen()).as("minute " + minute).isTrue();
      }
      connection.pass(ConnectionDeadlines.SILENCE.plus(BIT));
      assertThat(connection.isOpen()).as("nothing taken").isFalse();
    }
  }
}
