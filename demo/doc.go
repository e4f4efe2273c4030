// Package demo makes the Larkhaven Port Authority, which does not exist: about
// 240 people in eight units, ten applications and eighteen months of history,
// the same every time for one seed, dated back from the day it is loaded. The
// same generator makes larger organisations for measuring.
package demo
