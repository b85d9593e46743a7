package codes_test

import (
	"crypto/rand"
	"fmt"
	"os"
	"strings"

	"agonal.dev/agonal/core/codes"
)

func ExampleGenerate() {
	made, err := codes.Generate(rand.Reader, "INK-", 8, 3)
	fmt.Println(len(made), err, codes.Checks("INK-", made[0]))
	// Output: 3 <nil> true
}

func ExampleNormal() {
	fmt.Println(codes.Normal(" welcome10 "))
	// Output: WELCOME10
}

func ExampleReadCSV() {
	read, faults := codes.ReadCSV(strings.NewReader("code\nink-1\nINK-1\n"))
	fmt.Println(read, faults[0])
	// Output: [] line 3: INK-1 stands on line 2 already
}

func ExampleWriteCSV() {
	_ = codes.WriteCSV(os.Stdout, []codes.Row{{Code: "INK-1"}, {Code: "INK-2", Order: 41}})
	// Output:
	// code,order
	// INK-1,
	// INK-2,41
}
