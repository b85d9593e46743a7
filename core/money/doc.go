// Package money holds exact amounts of money.
//
// An amount is a whole number of minor units (cents, yen, fils) in one ISO 4217
// currency. A rate is an exact decimal. Nothing here is a binary float, every
// rounding is half away from zero to the minor unit, and what cannot be held
// exactly (an overflow, two currencies in one sum) is an error, never a wrong
// number.
package money
