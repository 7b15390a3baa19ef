/** What a person sees of their own keys, without any administrator's right. */
package tolvin.service.mine;
