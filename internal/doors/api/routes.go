package api

import (
	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/callers"
	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/album"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/lists"
	"yalvo/internal/engine/live"
	"yalvo/internal/engine/progress"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/timelines"
)

// API answers what apps ask.
type API struct {
	App       *running.App
	Facts     *facts.Writer
	Documents *documents.Reader
	Timelines *timelines.Reader
	Lists     *lists.Reader
	Progress  *progress.Reader
	Live      *live.Watchers
	Album     *album.Album
	Callers   *callers.Checker
	Telling   *request.Telling
	Gate      *gate.Gate
	Cursors   request.Cursors
	Positions request.Positions
	Ends      <-chan struct{} // closed on shutdown: live reads and those that wait end
}

// Routes are the addresses of the API. served has a handler serve accounts, strangers and operators. Behind each
// stand the parameters that its query may have; every read may wait for positions.
func (s *API) Routes(v1 *echo.Group, served func(echo.HandlerFunc) echo.HandlerFunc) {
	// What a path leads to is known to the handler, and so is what may be asked of it.
	v1.GET("/collections/*", served(s.getAt))
	v1.POST("/collections/*", served(request.Takes(s.postAt)))
	v1.PATCH("/collections/*", served(request.Takes(s.patchAt)))
	v1.DELETE("/collections/*", served(request.Takes(s.deleteAt)))
	v1.GET("/pairs/*", served(s.getPair))
	v1.PUT("/pairs/*", served(request.Takes(s.putPair)))
	v1.DELETE("/pairs/*", served(request.Takes(s.deletePair)))
	v1.GET("/timelines/*", served(s.getTimeline))
	v1.GET("/lists/*", served(s.getList))
	v1.GET("/screens/*", served(s.getScreen))
	v1.POST("/pictures", served(request.Takes(s.postPicture)))
	v1.GET("/pictures/*", served(request.Takes(s.getPicture)))
	v1.GET("/live/*", served(s.getLive))
	v1.POST("/writes", served(request.Takes(s.postBatch)))
	v1.POST("/reads", served(request.Takes(s.Settled(s.postReads), "settled", "patience")))
}
