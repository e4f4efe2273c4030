// Package e2e tries the service as it runs: real programs, a real database, a real browser.
// The first word of a file says what its tests are about:
//
//   - contract: everything that is registered, whatever it is: routes, operations, fields,
//     bodies, columns, commands, the API's document, and silence about what is outside
//   - work: what people do, by the API and the command line
//   - console: the same in a browser, and what the console says by itself
//   - faults: kills, outages, several services, many hands
//   - walks: the walks of the guide, word for word
//   - house: which room may use which, the words, the docs and what they say of tests
package e2e
