package api

import (
	"bytes"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/album"
	"yalvo/internal/engine/pictures"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/picturesql"
)

// pictureAnswer is what is told of a picture that was uploaded.
type pictureAnswer struct {
	Picture string `json:"picture"` // how documents refer to it
	Width   int    `json:"width"`
	Height  int    `json:"height"`
}

// postPicture keeps a picture: the body of the request, or the one file of a form (RFC 7578).
func (s *API) postPicture(c *echo.Context) error {
	who := request.Viewer(c)
	if !request.IsOperator(c) && who.Me == "" {
		return problem.New(http.StatusUnauthorized, problem.CodeNotSignedIn, "pictures are for those who are signed in")
	}
	if err := s.App.MustBeThere(c.Request().Context(), who); err != nil {
		return err
	}
	// Its bytes count until it is kept, those of one that waits for its turn too.
	giveUp, err := s.makeRoom(c)
	if err != nil {
		return err
	}
	defer giveUp()
	data, called, err := s.pictureIn(c)
	if err != nil {
		return err
	}
	var p picturesql.Picture
	fresh := false
	err = s.Gate.Pictures.Pass(c, func() error {
		p, fresh, err = s.Album.Upload(c.Request().Context(), who.Me, data, called)
		return err
	})
	if err != nil {
		return err
	}
	status := http.StatusCreated
	if !fresh {
		status = http.StatusOK
	}
	c.Response().Header().Set("Location", openapi.Prefix+"/"+album.Name(p.ID))
	return c.JSON(status, pictureAnswer{album.Name(p.ID), p.Width, p.Height})
}

// pictureIn reads the bytes of a picture, and of which type they are said to be. A phone may
// take long to send them, and takes no place meanwhile.
func (s *API) pictureIn(c *echo.Context) (data []byte, called string, err error) {
	r := c.Request()
	called, params, err := mime.ParseMediaType(r.Header.Get(echo.HeaderContentType))
	form := called == echo.MIMEMultipartForm
	if err != nil || !form && !strings.HasPrefix(called, "image/") && called != echo.MIMEOctetStream {
		return nil, "", noPictureType()
	}
	err = gate.Outside(c, func() error {
		if err := patiently(c); err != nil {
			return err
		}
		data, err = request.ReadAll(c, mostSent, gate.UploadTime)
		return err
	})
	if err == nil && form {
		data, called, err = fileIn(bytes.NewReader(data), params["boundary"])
	}
	return data, called, err
}

// mostSent is how many bytes a request with a picture may have.
const mostSent = int64(pictures.MostBytes + formAround)

// makeRoom makes room for the bytes of a picture, if not too many are on their way.
func (s *API) makeRoom(c *echo.Context) (giveUp func(), err error) {
	size := mostSent
	if sent := c.Request().ContentLength; sent >= 0 {
		size = min(size, sent)
	}
	giveUp, fits := s.Gate.Uploads.Add(size)
	if !fits {
		return nil, problem.Busy("too many pictures are on their way")
	}
	return giveUp, nil
}

// patiently gives a picture the time that it may take.
func patiently(c *echo.Context) error {
	control := http.NewResponseController(c.Response())
	until := time.Now().Add(gate.UploadTime)
	err := errors.Join(control.SetReadDeadline(until), control.SetWriteDeadline(until.Add(time.Minute)))
	if errors.Is(err, http.ErrNotSupported) {
		return nil
	}
	return err
}

// formAround is what a form may have around its file.
const formAround = 16 << 10

func noPictureType() error {
	return problem.New(
		http.StatusUnsupportedMediaType,
		problem.CodeMediaType,
		"send the picture itself, as image/jpeg, image/png, image/gif or image/webp, or in a form, as "+
			"multipart/form-data",
	)
}

// getPicture answers /pictures/{id}, and with a size behind it the picture in that size.
func (s *API) getPicture(c *echo.Context) error {
	parts, err := request.Segments(c, "/pictures")
	if err != nil {
		return err
	}
	size := pictures.Full
	if len(parts) == 2 {
		size = parts[1]
	}
	if len(parts) > 2 || !slices.Contains(pictures.Sizes, size) || !isPictureID(parts[0]) {
		return running.Refuse(running.CodeNotFound, "there is no such picture: they are at %s/pictures/{id}, and with "+
			"/medium or /thumbnail behind it smaller", openapi.Prefix)
	}
	f, err := s.Album.Open(c.Request().Context(), request.Viewer(c), parts[0], size)
	if err != nil {
		return err
	}
	defer f.Close()
	h := c.Response().Header()
	h.Set(echo.HeaderContentType, f.Type)
	h.Set(echo.HeaderXContentTypeOptions, "nosniff")
	h.Set(echo.HeaderContentSecurityPolicy, "default-src 'none'; sandbox")
	h.Set(echo.HeaderCacheControl, "private, max-age=300") // so long somebody may see it whom a block has shut out
	h.Add(echo.HeaderVary, openapi.HeaderAs+", "+echo.HeaderAuthorization+", Cookie")
	h.Set("ETag", `"`+parts[0][:16]+"-"+size+`"`)
	http.ServeContent(c.Response(), c.Request(), "", time.Time{}, f) // when it came is nobody's business
	return nil
}

// isPictureID tells whether a text can be the id of a picture: 64 hexadecimal digits.
func isPictureID(text string) bool {
	return len(text) == 64 && strings.Trim(text, "0123456789abcdef") == ""
}

// fileIn is the one file of a form, and of which type it is said to be.
func fileIn(from io.Reader, boundary string) ([]byte, string, error) {
	form := multipart.NewReader(from, boundary)
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return nil, "", problem.BadRequest("the form has no file: send one")
		}
		if err != nil {
			return nil, "", problem.BadRequest("the form cannot be read: it must be multipart/form-data (RFC 7578)")
		}
		if part.FileName() == "" {
			continue
		}
		called, _, err := mime.ParseMediaType(part.Header.Get(echo.HeaderContentType))
		if err != nil {
			called = "" // it is looked at anyway
		}
		data, err := io.ReadAll(part)
		if err != nil {
			return nil, "", problem.BadRequest("the form ends within its file")
		}
		return data, called, nil
	}
}
