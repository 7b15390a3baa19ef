package tolvin.api.destination;

/** A step of a try, and how it went. */
public record TestStepView(String step, boolean good, String said) {}
