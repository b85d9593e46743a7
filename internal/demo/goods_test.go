package demo_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/catalog/catalogcsv"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/pictures"
)

func TestLindquillIsAWholeShop(t *testing.T) {
	goods := demo.Goods()
	c, err := catalog.New(goods)
	require.NoError(t, err)
	variants := 0
	for _, p := range goods {
		variants += len(p.Variants)
		_, drawn := pictures.Draw(strings.TrimPrefix(p.Picture, "/pictures/"))
		assert.True(t, drawn, "%s has a picture", p.ID)
		for _, v := range p.Variants {
			for cur, price := range v.Prices {
				require.NotNil(t, price.Cost)
				if !p.GiftCard {
					assert.Less(t, *price.Cost, price.Price, "%s in %s earns something", v.SKU, cur)
				}
			}
		}
	}
	assert.GreaterOrEqual(t, len(goods), 70)
	assert.GreaterOrEqual(t, variants, 200)
	assert.Len(t, c.Collections(), 9)
	require.NoError(t, catalog.CheckRegions(demo.Regions()))
}

func TestLindquillsCatalogueSurvivesAFile(t *testing.T) {
	first, err := catalogcsv.Write(demo.Goods())
	require.NoError(t, err)
	back, faults := catalogcsv.Read(first)
	require.Empty(t, faults)
	second, err := catalogcsv.Write(back)
	require.NoError(t, err)
	assert.Equal(t, string(first), string(second))
}
