/**
 * The rulebook: what keys are acceptable, where, and how often they change; as data that people
 * write in YAML, and as verdicts with a rule, a reason and a remedy.
 */
package tolvin.core.rulebook;
