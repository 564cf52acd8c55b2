package postgres

// Abandon lets go of a server's folder as a killed process would, the server
// itself left running.
func Abandon(s *Server) { s.lock.Close() }
