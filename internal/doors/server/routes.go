package server

import (
	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/keys"
	"yalvo/internal/doors/operating"
	"yalvo/internal/doors/request"
)

// routes are the addresses of the API. Before each stands who may ask, and behind it the
// parameters that its query may have; every read may wait for positions.
func (s *Server) routes(v1 *echo.Group) {
	s.callers(v1)
	office := &operating.Office{App: s.App, Progress: s.Progress, Upkeep: s.Upkeep, Proof: s.Proof,
		Versions: s.Versions, Bulk: s.Bulk, Album: s.Album}
	office.Routes(v1, operating.Door{Operators: operators, Settled: s.settled})

	// What a path leads to is known to the handler, and so is what may be asked of it.
	v1.GET("/collections/*", s.anybody(s.getAt))
	v1.POST("/collections/*", s.anybody(request.Takes(s.postAt)))
	v1.PATCH("/collections/*", s.anybody(request.Takes(s.patchAt)))
	v1.DELETE("/collections/*", s.anybody(request.Takes(s.deleteAt)))
	v1.GET("/pairs/*", s.anybody(s.getPair))
	v1.PUT("/pairs/*", s.anybody(request.Takes(s.putPair)))
	v1.DELETE("/pairs/*", s.anybody(request.Takes(s.deletePair)))
	v1.GET("/timelines/*", s.anybody(s.getTimeline))
	v1.GET("/lists/*", s.anybody(s.getList))
	v1.POST("/pictures", s.anybody(request.Takes(s.postPicture)))
	v1.GET("/pictures/*", s.anybody(request.Takes(s.getPicture)))
	v1.GET("/live/*", s.anybody(s.getLive))
	v1.POST("/writes", s.anybody(request.Takes(s.postBatch)))
	v1.POST("/reads", s.anybody(request.Takes(s.settled(s.postReads), "settled", "patience")))
}

// callers are the addresses where it is found out who somebody is.
func (s *Server) callers(v1 *echo.Group) {
	v1.GET("/session", request.Takes(s.getSession))
	v1.POST("/session", request.Takes(s.postSession))
	v1.DELETE("/session", request.Takes(s.deleteSession))
	v1.POST("/session/link", operators(keys.Read, request.Takes(s.postLink)))
	v1.POST("/sign-up", request.Takes(s.postSignUp))
	v1.POST("/sign-in", request.Takes(s.postSignIn))
	v1.POST("/sign-in/refresh", request.Takes(s.postRefresh))
	v1.POST("/sign-out", request.Takes(s.postSignOut))
	v1.PUT("/password", request.Takes(s.putPassword))
	v1.GET("/keys", operators(keys.Operate, request.Takes(s.getKeys)))
	v1.POST("/keys", operators(keys.Operate, request.Takes(s.postKey)))
	v1.DELETE("/keys/:id", operators(keys.Operate, request.Takes(s.deleteKey)))
}

// settled has a read wait as its query asks.
func (s *Server) settled(h echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if err := s.settle(c); err != nil {
			return err
		}
		return h(c)
	}
}
