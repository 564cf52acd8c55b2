package demo

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"slices"

	"golang.org/x/image/vector"
)

// Of the pictures that members and sightings show.
const (
	portraits      = 24
	pictureWidth   = 800
	pictureHeight  = 600
	portraitSide   = 320
	pictureQuality = 90
)

// canvas is a picture in the making.
type canvas struct {
	*image.RGBA
	rand *rand.Rand
}

func newCanvas(w, h int, seed uint64) *canvas {
	return &canvas{image.NewRGBA(image.Rect(0, 0, w, h)), rand.New(rand.NewPCG(seed, 21))}
}

// shade is a colour: hue in turns, how much of it, and how light.
func shade(hue, much, light float64) color.RGBA {
	part := func(offset float64) uint8 {
		x := math.Mod(hue+offset+1, 1) * 6
		v := math.Max(0, math.Min(1, math.Min(x, 4-x)))
		return uint8(255 * math.Max(0, math.Min(1, light+much*(v-0.5)*(1-math.Abs(2*light-1)))))
	}
	return color.RGBA{part(1.0 / 3), part(0), part(-1.0 / 3), 255}
}

// fill fills a closed line through points.
func (c *canvas) fill(with color.RGBA, points ...[2]float64) {
	around := image.Rectangle{Min: image.Pt(math.MaxInt32, math.MaxInt32), Max: image.Pt(math.MinInt32, math.MinInt32)}
	for _, p := range points {
		around.Min = image.Pt(min(around.Min.X, int(p[0])-1), min(around.Min.Y, int(p[1])-1))
		around.Max = image.Pt(max(around.Max.X, int(p[0])+2), max(around.Max.Y, int(p[1])+2))
	}
	if around = around.Intersect(c.Rect); around.Empty() {
		return
	}
	r := vector.NewRasterizer(around.Dx(), around.Dy())
	for i, p := range points {
		x, y := float32(p[0])-float32(around.Min.X), float32(p[1])-float32(around.Min.Y)
		if i == 0 {
			r.MoveTo(x, y)
		} else {
			r.LineTo(x, y)
		}
	}
	r.ClosePath()
	r.Draw(c.RGBA, around, image.NewUniform(with), image.Point{})
}

// oval fills an ellipse that is turned by some radians.
func (c *canvas) oval(with color.RGBA, x, y, rx, ry, turn float64) {
	var points [][2]float64
	for a := 0.0; a < 2*math.Pi; a += 0.08 {
		dx, dy := rx*math.Cos(a), ry*math.Sin(a)
		points = append(points, [2]float64{x + dx*math.Cos(turn) - dy*math.Sin(turn),
			y + dx*math.Sin(turn) + dy*math.Cos(turn)})
	}
	c.fill(with, points...)
}

// sky fills everything from one colour at the top to another at the bottom.
func (c *canvas) sky(top, bottom color.RGBA) {
	for y := range c.Rect.Dy() {
		part := float64(y) / float64(c.Rect.Dy())
		mix := func(a, b uint8) uint8 { return uint8(float64(a)*(1-part) + float64(b)*part) }
		row := image.Rect(0, y, c.Rect.Dx(), y+1)
		draw.Draw(
			c.RGBA,
			row,
			image.NewUniform(color.RGBA{mix(top.R, bottom.R), mix(top.G, bottom.G), mix(top.B, bottom.B),
				255}),
			image.Point{},
			draw.Src,
		)
	}
}

func (c *canvas) jpeg() []byte {
	var out bytes.Buffer
	if err := jpeg.Encode(&out, c.RGBA, &jpeg.Options{Quality: pictureQuality}); err != nil {
		panic(err) // of a picture of its own, into memory
	}
	return out.Bytes()
}

// between is a number from a to b.
func (c *canvas) between(a, b float64) float64 { return a + c.rand.Float64()*(b-a) }

// drawBird draws a bird at the water, with reeds.
func drawBird(seed uint64) []byte {
	c := newCanvas(pictureWidth, pictureHeight, seed)
	hour := c.between(0.48, 0.62)
	c.sky(shade(hour, 0.5, 0.82), shade(hour-0.45, 0.35, 0.9))
	shore := c.between(300, 380)
	c.oval(shade(0.13, 0.9, 0.93), c.between(100, 700), shore-c.between(60, 200), 42, 42, 0)
	for range 3 {
		x := c.between(-100, 900)
		c.oval(shade(0.3, 0.2, c.between(0.5, 0.62)), x, shore+20, c.between(200, 380), c.between(40, 110), 0)
	}
	c.fill(shade(hour-0.02, 0.35, 0.62), [2]float64{0, shore}, [2]float64{800, shore}, [2]float64{800, 600},
		[2]float64{0, 600})
	for range 26 {
		y := c.between(shore+8, 600)
		c.oval(
			shade(hour-0.02, 0.3, c.between(0.66, 0.74)),
			c.between(0, 800),
			y,
			c.between(20, 90),
			1.6+(y-shore)/150,
			0,
		)
	}
	c.bird(c.between(280, 520), shore+c.between(30, 90), c.between(0.8, 1.35))
	for range 46 {
		c.reed(c.between(-20, 820), c.between(600, 640))
	}
	return c.jpeg()
}

// bird draws a bird of some size, whose feet are at a place.
func (c *canvas) bird(x, y, size float64) {
	hue, light := c.rand.Float64(), c.between(0.25, 0.7)
	body, wing := shade(hue, 0.5, light), shade(hue, 0.5, light*0.75)
	belly := shade(hue+0.05, 0.3, math.Min(0.95, light+0.3))
	legs := shade(0.08, 0.7, 0.4)
	long := c.between(30, 110) * size
	for _, dx := range []float64{-10, 14} {
		c.fill(legs, [2]float64{x + dx*size - 2, y - long}, [2]float64{x + dx*size + 3, y - long},
			[2]float64{x + dx*size + 2, y}, [2]float64{x + dx*size - 2, y})
	}
	y -= long + 34*size
	neck := c.between(20, 120) * size
	headX, headY := x+(62+neck*0.25)*size, y-neck-18*size
	c.fill(body, [2]float64{x + 22*size, y - 10*size}, [2]float64{headX - 12*size, headY},
		[2]float64{headX + 12*size, headY}, [2]float64{x + 74*size, y + 8*size})
	c.fill(wing, [2]float64{x - 60*size, y - 6*size}, [2]float64{x - 132*size, y + c.between(0, 26)*size},
		[2]float64{x - 50*size, y + 20*size})
	c.oval(body, x, y, 86*size, 44*size, -0.12)
	c.oval(belly, x+16*size, y+16*size, 58*size, 24*size, -0.12)
	c.oval(wing, x-16*size, y-6*size, 60*size, 26*size, 0.12)
	c.oval(body, headX, headY, 24*size, 20*size, 0)
	bill := c.between(24, 70) * size
	c.fill(shade(0.09, 0.9, 0.5), [2]float64{headX + 16*size, headY - 6*size},
		[2]float64{headX + 18*size + bill, headY + c.between(0, 14)}, [2]float64{headX + 14*size, headY + 8*size})
	c.oval(color.RGBA{20, 20, 20, 255}, headX+6*size, headY-5*size, 4*size, 4*size, 0)
}

// reed draws a stalk that bends a little.
func (c *canvas) reed(x, y float64) {
	tall, bend, wide := c.between(60, 230), c.between(-30, 30), c.between(2, 5)
	green := shade(c.between(0.2, 0.28), 0.5, c.between(0.3, 0.5))
	c.fill(green, [2]float64{x - wide, y}, [2]float64{x + bend*0.4, y - tall*0.6}, [2]float64{x + bend, y - tall},
		[2]float64{x + bend*0.4 + wide, y - tall*0.6}, [2]float64{x + wide, y})
	if c.rand.IntN(3) == 0 {
		c.oval(shade(0.07, 0.6, 0.3), x+bend*0.9, y-tall*0.95, wide+1, 18, bend/200)
	}
}

// drawPortrait draws somebody with a hat, as far as one sees them behind binoculars.
func drawPortrait(seed uint64) []byte {
	c := newCanvas(portraitSide, portraitSide, seed)
	hue := c.rand.Float64()
	c.sky(shade(hue, 0.4, 0.85), shade(hue+0.1, 0.4, 0.7))
	coat, skin, hat := shade(c.rand.Float64(), 0.5, c.between(0.3, 0.5)), shade(0.07, 0.55, c.between(0.35, 0.82)),
		shade(c.rand.Float64(), 0.45, c.between(0.25, 0.55))
	c.oval(coat, 160, 330, 130, 110, 0)
	c.oval(skin, 160, 170, 62, 76, 0)
	c.oval(hat, 160, 112, c.between(86, 118), 20, c.between(-0.06, 0.06))
	c.oval(hat, 160, 96, 62, c.between(34, 60), 0)
	if c.rand.IntN(2) == 0 {
		dark := color.RGBA{35, 38, 40, 255}
		c.oval(dark, 134, 168, 27, 27, 0)
		c.oval(dark, 186, 168, 27, 27, 0)
		c.oval(shade(hue, 0.3, 0.6), 134, 168, 17, 17, 0)
		c.oval(shade(hue, 0.3, 0.6), 186, 168, 17, 17, 0)
	} else {
		for _, x := range []float64{138, 182} {
			c.oval(color.RGBA{30, 30, 30, 255}, x, 162, 6, 6, 0)
		}
		c.oval(shade(0.0, 0.4, 0.45), 160, 206, 18, 5, c.between(-0.15, 0.15))
	}
	return c.jpeg()
}

// drawn are the pictures of a world: of birds, and portraits.
func drawn(kinds, people int, seed uint64) (pictures [][]byte, names []string) {
	for i := range kinds + people {
		picture := drawBird
		if i >= kinds {
			picture = drawPortrait
		}
		data := picture(seed*1000 + uint64(i))
		sum := sha256.Sum256(data)
		pictures, names = append(pictures, data), append(names, "pictures/"+hex.EncodeToString(sum[:]))
	}
	return pictures, names
}

// illustrate gives whoever has a picture one that is drawn. In a large world sightings have one
// of their kind of bird; a small one has a few in all.
func (w *World) illustrate(seed uint64) {
	kinds, people := len(birds), portraits
	if len(w.Members) < Full.Members {
		kinds, people = 3, 2
	}
	pictures, names := drawn(kinds, people, seed)
	w.Pictures = pictures
	for i, m := range w.Members {
		if m.Fields["portrait"] != nil {
			m.Fields["portrait"] = names[kinds+i%people]
		}
	}
	for _, s := range w.Sightings {
		if s.Fields["photo"] != nil {
			s.Fields["photo"] = names[slices.Index(birds, s.Fields["species"].([]string)[0])%kinds]
		}
	}
}
