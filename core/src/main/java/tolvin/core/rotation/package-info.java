/**
 * Rotation without breaking anything.
 *
 * <p>The law: after every single effect, every tie offers a key that its account accepts. {@link
 * tolvin.core.rotation.RotationPlanner} decides every single move, in the simulator and in the
 * service alike; {@link tolvin.core.rotation.Guards} say what must hold before a key may go; {@link
 * tolvin.core.rotation.Plan} is what {@code RotationPlanner} would do if all went well.
 *
 * <pre>
 *   planned → made → placed → supplied → proven → watched → withdrawn → done
 *      \________\________\_________\________\_________\________/
 *                     rolled back (until the old private key is removed)
 * </pre>
 */
package tolvin.core.rotation;
