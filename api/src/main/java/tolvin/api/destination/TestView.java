package tolvin.api.destination;

import java.util.List;

/** What a try found. */
public record TestView(boolean good, List<TestStepView> steps) {}
