package main

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math/rand/v2"
	"time"
)

// upload: a photograph of four million pixels, as a phone sends it, beside decoding and
// encoding it alone.
func (b *bench) upload() error {
	const pictures = 8
	r := rand.New(rand.NewPCG(1, 1))
	var all [pictures][]byte
	for i := range all {
		img := image.NewRGBA(image.Rect(0, 0, 2312, 1736))
		for y := range 1736 {
			for x := range 2312 {
				img.SetRGBA(x, y, color.RGBA{uint8(x/9 + r.IntN(24)), uint8(y/7 + r.IntN(24)), uint8(x*y>>14 + i), 255})
			}
		}
		var out bytes.Buffer
		if err := jpeg.Encode(&out, img, nil); err != nil {
			return err
		}
		all[i] = out.Bytes()
	}
	began := time.Now()
	for _, data := range all {
		img, err := jpeg.Decode(bytes.NewReader(data))
		if err != nil {
			return err
		}
		if err := jpeg.Encode(&bytes.Buffer{}, img, nil); err != nil {
			return err
		}
	}
	alone := time.Since(began) / pictures
	began = time.Now()
	for _, data := range all {
		if _, err := b.client.Upload(b.ctx, data); err != nil {
			return err
		}
	}
	whole := time.Since(began) / pictures
	fmt.Printf("\na JPEG of 4 million pixels, %d kB: decoded and encoded %v, uploaded %v (%.2f)\n", len(all[0])/1024,
		alone.Round(time.Millisecond), whole.Round(time.Millisecond), whole.Seconds()/alone.Seconds())
	return nil
}
