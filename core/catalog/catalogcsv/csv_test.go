package catalogcsv_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog/catalogcsv"
)

const header = "product,title,sku,price EUR,price JPY,stock,option 1,value 1\r\n"

func ExampleRead() {
	products, faults := catalogcsv.Read([]byte(header + "ink,Ink,INK-30,14.00,2200,5,size,30 ml\r\nink,Ink,INK-4,-1,,x,,\r\n"))
	fmt.Println(len(products), len(products[0].Variants))
	for _, f := range faults {
		fmt.Println(f)
	}
	// Unordered output:
	// 1 1
	// line 3, price EUR: -1 is below zero; write 0 or more
	// line 3, stock: "x" is not a whole number from 0 to 1000000000
}

func TestFaultsNameLineColumnAndWhatToDo(t *testing.T) {
	for name, c := range map[string]struct{ file, want string }{
		"empty":           {"", "The file is empty"},
		"header only":     {header, "no rows"},
		"wrong header":    {"produkt,title,sku,price EUR\na,b,c,1\n", "line 1, produkt: this column is not known"},
		"column missing":  {"product,title,price EUR\na,b,1\n", "line 1, sku: this column is missing"},
		"column twice":    {"product,title,sku,sku,price EUR\n", "stands twice"},
		"no price column": {"product,title,sku\na,b,c\n", "a price column is missing"},
		"broken quote":    {header + "ink,\"Ink,INK,1.00,,,,\n", "a quote is not closed"},
		"quote in a cell": {header + "ink,In\"k,INK,1.00,,,,\n", "a quote is not closed, or stands inside a cell"},
		"negative price":  {header + "ink,Ink,INK,-1.00,,,,\n", "line 2, price EUR: -1.00 is below zero"},
		"comma price":     {header + "ink,Ink,INK,\"1,00\",,,,\n", "is not a number such as 12.50"},
		"yen with sen":    {header + "ink,Ink,INK,1.00,10.50,,,\n", "this currency has none"},
		"huge price":      {header + "ink,Ink,INK,1000000000000000000,,,,\n", "is too large"},
		"SKU twice":       {header + "ink,Ink,INK,1.00,,,,\nink,Ink,INK,1.00,,,,\n", "line 3, sku: INK stands in line 2 already"},
		"formula":         {header + "ink,=1+1,INK,1.00,,,,\n", "would run as a formula"},
		"formula at":      {header + "ink,Ink,@SUM(A1),1.00,,,,\n", "would run as a formula"},
		"other encoding":  {header + "ink,Gr\xfcn,INK,1.00,,,,\n", "line 2: This is not UTF-8"},
		"a NUL":           {header + "ink,In\x00k,INK,1.00,,,,\n", "line 2, title: the cell holds a NUL character"},
		"cells missing":   {header + "ink,Ink\n", "line 2: the row has 2 cells, the header has 8"},
		"bad id":          {header + "Ink Blue,Ink,INK,1.00,,,,\n", "is not a product id"},
		"half an option":  {header + "ink,Ink,INK,1.00,,,size,\n", "needs both a name and a value"},
		"rows disagree":   {header + "ink,Ink,A,1.00,,,,\nink,Inks,B,1.00,,,,\n", "all rows of a product must agree"},
	} {
		_, faults := catalogcsv.Read([]byte(c.file))
		require.NotEmpty(t, faults, name)
		all := make([]string, len(faults))
		for i, f := range faults {
			all[i] = f.Error()
		}
		assert.Contains(t, strings.Join(all, "\n"), c.want, name)
	}
}

func TestAFileTooLargeIsRefusedWhole(t *testing.T) {
	products, faults := catalogcsv.Read(make([]byte, 50<<20))
	assert.Empty(t, products)
	require.Len(t, faults, 1)
	assert.Contains(t, faults[0].Why, "at most 32 MB")
}

func TestAByteOrderMarkIsLetBe(t *testing.T) {
	products, faults := catalogcsv.Read([]byte("\xef\xbb\xbf" + header + "ink,Ink,INK,1.00,,,,\n"))
	assert.Empty(t, faults)
	assert.Len(t, products, 1)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(header + "ink,Ink,INK-30,14.00,2200,5,size,30 ml\r\n"))
	f.Add([]byte("product,title,sku,price EUR,reference price EUR,unit cost EUR,tags\na,b,c,1.00,2.00,0.50,x|y\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		products, faults := catalogcsv.Read(b)
		if len(faults) > 0 || len(products) == 0 {
			return
		}
		first, err := catalogcsv.Write(products)
		require.NoError(t, err)
		back, faults := catalogcsv.Read(first)
		require.Empty(t, faults)
		second, err := catalogcsv.Write(back)
		require.NoError(t, err)
		assert.Equal(t, string(first), string(second))
	})
}
