/** What people elsewhere have to do for us: packages, one-time reply links, reminders, proof. */
package tolvin.service.handover;
