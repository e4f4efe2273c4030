// Package workflows shows requests for access and reviews to whom they concern: the
// catalogue, requests and who decides on them, what waits for somebody today, rounds and
// their items. What they do to access are operations (packages request and review), made
// by package changing.
package workflows
