package client

import (
	"context"
	"io"
	"net/http"
)

// Picture is a picture that was uploaded.
type Picture struct {
	Picture string `json:"picture"` // how documents refer to it: the value of a medium
	Width   int    `json:"width"`
	Height  int    `json:"height"`
}

// Upload keeps a picture: JPEG, PNG, GIF or WebP, 12 MiB and 25 million pixels at most. A
// document has to refer to it within a day. The same one again is the same picture.
func (c *Client) Upload(ctx context.Context, picture []byte) (Picture, error) {
	var kept Picture
	_, err := c.call(ctx, http.MethodPost, "/pictures", nil, "application/octet-stream", picture, &kept)
	return kept, err
}

// Download reads a picture by what documents say of it: as large as it is ("full" or ""),
// "medium" or "thumbnail". It tells its media type.
func (c *Client) Download(ctx context.Context, picture, size string) (data []byte, media string, err error) {
	path := "/" + picture
	if size != "" {
		path += "/" + size
	}
	resp, err := c.send(ctx, http.MethodGet, path, nil, "", nil)
	if err != nil {
		return nil, "", err
	}
	defer resp.Body.Close()
	data, err = io.ReadAll(resp.Body)
	return data, resp.Header.Get("Content-Type"), err
}
