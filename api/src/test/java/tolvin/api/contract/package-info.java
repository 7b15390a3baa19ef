/** What the tests of service and client hold each other to. */
package tolvin.api.contract;
