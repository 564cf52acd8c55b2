// Made by `yalvo types --for swift` from the design of fenwatch. Make it anew when the design has changed.

import Foundation

/// Reads and writes what the service answers and takes: times have fractions of a second.
public enum Wire {
    public static func decoder() -> JSONDecoder {
        let decoder = JSONDecoder()
        decoder.dateDecodingStrategy = .custom { from in
            let text = try from.singleValueContainer().decode(String.self)
            for options: ISO8601DateFormatter.Options in [[.withInternetDateTime, .withFractionalSeconds], [.withInternetDateTime]] {
                let format = ISO8601DateFormatter()
                format.formatOptions = options
                if let date = format.date(from: text) { return date }
            }
            throw DecodingError.dataCorrupted(.init(codingPath: from.codingPath, debugDescription: "\(text) is no time"))
        }
        return decoder
    }

    public static func encoder() -> JSONEncoder {
        let encoder = JSONEncoder()
        encoder.dateEncodingStrategy = .custom { date, to in
            let format = ISO8601DateFormatter()
            format.formatOptions = [.withInternetDateTime, .withFractionalSeconds]
            var container = to.singleValueContainer()
            try container.encode(format.string(from: date))
        }
        return encoder
    }
}

/// A document with its facts and kept values. `building` names kept values that are being derived anew.
public struct Document<Facts: Decodable, Kept: Decodable>: Decodable {
    public let id: String
    public let path: String
    public let version: Int
    public let created: Date
    public let updated: Date
    public let facts: Facts
    public let kept: Kept
    public let building: [String]?
    public let since: Date?
    public let top: Bool?
    public let marks: [String: Mark?]?
}

/// An entry of a timeline.
public struct Entry<Facts: Decodable, Kept: Decodable>: Decodable {
    public let id: String
    public let path: String
    public let at: Date
    public let author: String
    public let facts: Facts
    public let kept: Kept
    public let building: [String]?
    public let marks: [String: Mark?]?
}

/// How the caller is paired with something.
public struct Mark: Decodable {
    public let since: Date
}

/// A page of documents; `next` is the cursor of the following one.
public struct Page<Element: Decodable>: Decodable {
    public let documents: [Element]
    public let next: String?
}

/// A page of a timeline; `next` is the cursor of the following one.
public struct Entries<Element: Decodable>: Decodable {
    public let entries: [Element]
    public let next: String?
}

/// Why a part of a screen is refused (RFC 9457).
public struct Refusal: Decodable {
    public let status: Int
    public let code: String
    public let detail: String
}

/// What may be written of members.
public struct MembersFacts: Codable, Hashable {
    public var handle: String
    public var name: String
    public var about: String?
    public var portrait: String?
    public var joined: Date?
    public var muted: Bool?
    public var warden: Bool?
    public var pinned: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case about = "about"
        case portrait = "portrait"
        case joined = "joined"
        case muted = "muted"
        case warden = "warden"
        case pinned = "pinned"
    }
}

/// What is kept for members.
public struct MembersKept: Decodable, Hashable {
    public var followerCount: Int
    public var followingCount: Int
    public var sightingCount: Int
    public var birdsSeen: Double
    public var mostAtOnce: Int?
    public var trusted: Double

    enum CodingKeys: String, CodingKey {
        case followerCount = "follower_count"
        case followingCount = "following_count"
        case sightingCount = "sighting_count"
        case birdsSeen = "birds_seen"
        case mostAtOnce = "most_at_once"
        case trusted = "trusted"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        followerCount = try values.decodeIfPresent(Int.self, forKey: .followerCount) ?? 0
        followingCount = try values.decodeIfPresent(Int.self, forKey: .followingCount) ?? 0
        sightingCount = try values.decodeIfPresent(Int.self, forKey: .sightingCount) ?? 0
        birdsSeen = try values.decodeIfPresent(Double.self, forKey: .birdsSeen) ?? 0
        mostAtOnce = try values.decodeIfPresent(Int.self, forKey: .mostAtOnce)
        trusted = try values.decodeIfPresent(Double.self, forKey: .trusted) ?? 0
    }
}

/// The spot of Sightings.
public struct SightingsSpot: Codable, Hashable {
    public var name: String
    public var lat: Double?
    public var lon: Double?

    enum CodingKeys: String, CodingKey {
        case name = "name"
        case lat = "lat"
        case lon = "lon"
    }
}

/// What may be written of sightings.
public struct SightingsFacts: Codable, Hashable {
    public var text: String
    public var photo: String?
    public var spot: SightingsSpot?
    public var species: [String]?
    public var birds: Int?
    public var hidden: Bool?
    public var author: String

    enum CodingKeys: String, CodingKey {
        case text = "text"
        case photo = "photo"
        case spot = "spot"
        case species = "species"
        case birds = "birds"
        case hidden = "hidden"
        case author = "author"
    }
}

/// What byline of Sightings shows.
public struct SightingsByline: Decodable, Hashable {
    public var handle: String?
    public var name: String?
    public var portrait: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case portrait = "portrait"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        handle = try values.decodeIfPresent(String.self, forKey: .handle)
        name = try values.decodeIfPresent(String.self, forKey: .name)
        portrait = try values.decodeIfPresent(String.self, forKey: .portrait)
    }
}

/// What byline of SightingsLastRemarks shows.
public struct SightingsLastRemarksByline: Decodable, Hashable {
    public var handle: String?
    public var name: String?
    public var portrait: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case portrait = "portrait"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        handle = try values.decodeIfPresent(String.self, forKey: .handle)
        name = try values.decodeIfPresent(String.self, forKey: .name)
        portrait = try values.decodeIfPresent(String.self, forKey: .portrait)
    }
}

/// What last_remarks of Sightings shows.
public struct SightingsLastRemarks: Decodable, Hashable {
    public var id: String
    public var path: String
    public var text: String?
    public var byline: SightingsLastRemarksByline?

    enum CodingKeys: String, CodingKey {
        case id = "id"
        case path = "path"
        case text = "text"
        case byline = "byline"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        id = try values.decode(String.self, forKey: .id)
        path = try values.decode(String.self, forKey: .path)
        text = try values.decodeIfPresent(String.self, forKey: .text)
        byline = try values.decodeIfPresent(SightingsLastRemarksByline.self, forKey: .byline)
    }
}

/// What is kept for sightings.
public struct SightingsKept: Decodable, Hashable {
    public var byline: SightingsByline?
    public var remarkCount: Int
    public var likeCount: Int
    public var savedCount: Int
    public var agreement: Double
    public var doubtCount: Int
    public var lastRemarks: [SightingsLastRemarks]

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
        case remarkCount = "remark_count"
        case likeCount = "like_count"
        case savedCount = "saved_count"
        case agreement = "agreement"
        case doubtCount = "doubt_count"
        case lastRemarks = "last_remarks"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(SightingsByline.self, forKey: .byline)
        remarkCount = try values.decodeIfPresent(Int.self, forKey: .remarkCount) ?? 0
        likeCount = try values.decodeIfPresent(Int.self, forKey: .likeCount) ?? 0
        savedCount = try values.decodeIfPresent(Int.self, forKey: .savedCount) ?? 0
        agreement = try values.decodeIfPresent(Double.self, forKey: .agreement) ?? 0
        doubtCount = try values.decodeIfPresent(Int.self, forKey: .doubtCount) ?? 0
        lastRemarks = try values.decodeIfPresent([SightingsLastRemarks].self, forKey: .lastRemarks) ?? []
    }
}

/// What may be written of remarks.
public struct RemarksFacts: Codable, Hashable {
    public var text: String
    public var author: String

    enum CodingKeys: String, CodingKey {
        case text = "text"
        case author = "author"
    }
}

/// What byline of Remarks shows.
public struct RemarksByline: Decodable, Hashable {
    public var handle: String?
    public var name: String?
    public var portrait: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case portrait = "portrait"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        handle = try values.decodeIfPresent(String.self, forKey: .handle)
        name = try values.decodeIfPresent(String.self, forKey: .name)
        portrait = try values.decodeIfPresent(String.self, forKey: .portrait)
    }
}

/// What is kept for remarks.
public struct RemarksKept: Decodable, Hashable {
    public var byline: RemarksByline?

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(RemarksByline.self, forKey: .byline)
    }
}

/// The facts of a verdict.
public struct VerdictPair: Codable, Hashable {
    public var value: Int

    enum CodingKeys: String, CodingKey {
        case value = "value"
    }
}

/// The facts that an entry of home carries.
public struct HomeEntryFacts: Codable, Hashable {
    public var text: String
    public var photo: String?
    public var spot: SightingsSpot?

    enum CodingKeys: String, CodingKey {
        case text = "text"
        case photo = "photo"
        case spot = "spot"
    }
}

/// The kept values that an entry of home carries.
public struct HomeEntryKept: Decodable, Hashable {
    public var byline: SightingsByline?
    public var likeCount: Int
    public var remarkCount: Int
    public var agreement: Double

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
        case likeCount = "like_count"
        case remarkCount = "remark_count"
        case agreement = "agreement"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(SightingsByline.self, forKey: .byline)
        likeCount = try values.decodeIfPresent(Int.self, forKey: .likeCount) ?? 0
        remarkCount = try values.decodeIfPresent(Int.self, forKey: .remarkCount) ?? 0
        agreement = try values.decodeIfPresent(Double.self, forKey: .agreement) ?? 0
    }
}

/// The facts that everyone of EveryoneScreen shows.
public struct EveryoneScreenEveryoneFacts: Codable, Hashable {
    public var text: String
    public var photo: String?

    enum CodingKeys: String, CodingKey {
        case text = "text"
        case photo = "photo"
    }
}

/// The kept values that everyone of EveryoneScreen shows.
public struct EveryoneScreenEveryoneKept: Decodable, Hashable {
    public var byline: SightingsByline?
    public var remarkCount: Int
    public var likeCount: Int

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
        case remarkCount = "remark_count"
        case likeCount = "like_count"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(SightingsByline.self, forKey: .byline)
        remarkCount = try values.decodeIfPresent(Int.self, forKey: .remarkCount) ?? 0
        likeCount = try values.decodeIfPresent(Int.self, forKey: .likeCount) ?? 0
    }
}

/// The facts that followed_by of FollowersScreen shows.
public struct FollowersScreenFollowedByFacts: Codable, Hashable {
    public var handle: String
    public var name: String
    public var portrait: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case portrait = "portrait"
    }
}

/// The kept values that followed_by of FollowersScreen shows.
public struct FollowersScreenFollowedByKept: Decodable, Hashable {

    public init(from decoder: Decoder) throws {
    }
}

/// The facts that remarks of SightingScreen shows.
public struct SightingScreenRemarksFacts: Codable, Hashable {
    public var text: String

    enum CodingKeys: String, CodingKey {
        case text = "text"
    }
}

/// The kept values that remarks of SightingScreen shows.
public struct SightingScreenRemarksKept: Decodable, Hashable {
    public var byline: RemarksByline?

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(RemarksByline.self, forKey: .byline)
    }
}

/// The facts that liked_this_week of LikedMostScreen shows.
public struct LikedMostScreenLikedThisWeekFacts: Codable, Hashable {
    public var text: String

    enum CodingKeys: String, CodingKey {
        case text = "text"
    }
}

/// The kept values that liked_this_week of LikedMostScreen shows.
public struct LikedMostScreenLikedThisWeekKept: Decodable, Hashable {
    public var byline: SightingsByline?
    public var likeCount: Int

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
        case likeCount = "like_count"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(SightingsByline.self, forKey: .byline)
        likeCount = try values.decodeIfPresent(Int.self, forKey: .likeCount) ?? 0
    }
}

/// The facts that handles of FindMemberScreen shows.
public struct FindMemberScreenHandlesFacts: Codable, Hashable {
    public var handle: String
    public var name: String
    public var portrait: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case portrait = "portrait"
    }
}

/// The kept values that handles of FindMemberScreen shows.
public struct FindMemberScreenHandlesKept: Decodable, Hashable {

    public init(from decoder: Decoder) throws {
    }
}

/// The facts that flocks of FlocksScreen shows.
public struct FlocksScreenFlocksFacts: Codable, Hashable {
    public var text: String
    public var species: [String]?
    public var birds: Int?

    enum CodingKeys: String, CodingKey {
        case text = "text"
        case species = "species"
        case birds = "birds"
    }
}

/// The kept values that flocks of FlocksScreen shows.
public struct FlocksScreenFlocksKept: Decodable, Hashable {
    public var byline: SightingsByline?

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(SightingsByline.self, forKey: .byline)
    }
}

/// The facts that page of AroundMeScreen shows.
public struct AroundMeScreenPageFacts: Codable, Hashable {
    public var text: String

    enum CodingKeys: String, CodingKey {
        case text = "text"
    }
}

/// The kept values that page of AroundMeScreen shows.
public struct AroundMeScreenPageKept: Decodable, Hashable {
    public var remarkCount: Int
    public var likeCount: Int

    enum CodingKeys: String, CodingKey {
        case remarkCount = "remark_count"
        case likeCount = "like_count"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        remarkCount = try values.decodeIfPresent(Int.self, forKey: .remarkCount) ?? 0
        likeCount = try values.decodeIfPresent(Int.self, forKey: .likeCount) ?? 0
    }
}

/// The facts that blocked of AroundMeScreen shows.
public struct AroundMeScreenBlockedFacts: Codable, Hashable {
    public var handle: String
    public var name: String

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
    }
}

/// The kept values that blocked of AroundMeScreen shows.
public struct AroundMeScreenBlockedKept: Decodable, Hashable {

    public init(from decoder: Decoder) throws {
    }
}

/// One of members.
public typealias Members = Document<MembersFacts, MembersKept>
/// One of sightings.
public typealias Sightings = Document<SightingsFacts, SightingsKept>
/// One of remarks.
public typealias Remarks = Document<RemarksFacts, RemarksKept>
/// An entry of the timeline home.
public typealias HomeEntry = Entry<HomeEntryFacts, HomeEntryKept>
/// What everyone of EveryoneScreen shows.
public typealias EveryoneScreenEveryoneItem = Document<EveryoneScreenEveryoneFacts, EveryoneScreenEveryoneKept>
/// What followed_by of FollowersScreen shows.
public typealias FollowersScreenFollowedByItem = Document<FollowersScreenFollowedByFacts, FollowersScreenFollowedByKept>
/// What remarks of SightingScreen shows.
public typealias SightingScreenRemarksItem = Document<SightingScreenRemarksFacts, SightingScreenRemarksKept>
/// What liked_this_week of LikedMostScreen shows.
public typealias LikedMostScreenLikedThisWeekItem = Document<LikedMostScreenLikedThisWeekFacts, LikedMostScreenLikedThisWeekKept>
/// What handles of FindMemberScreen shows.
public typealias FindMemberScreenHandlesItem = Document<FindMemberScreenHandlesFacts, FindMemberScreenHandlesKept>
/// What flocks of FlocksScreen shows.
public typealias FlocksScreenFlocksItem = Document<FlocksScreenFlocksFacts, FlocksScreenFlocksKept>
/// What page of AroundMeScreen shows.
public typealias AroundMeScreenPageItem = Document<AroundMeScreenPageFacts, AroundMeScreenPageKept>
/// What blocked of AroundMeScreen shows.
public typealias AroundMeScreenBlockedItem = Document<AroundMeScreenBlockedFacts, AroundMeScreenBlockedKept>

/// What the screen home shows. A part that is refused is missing.
public struct HomeScreen: Decodable {
    public struct Parts: Decodable {
        public let home: Entries<HomeEntry>?

        enum CodingKeys: String, CodingKey {
            case home = "home"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen everyone shows. A part that is refused is missing.
public struct EveryoneScreen: Decodable {
    public struct Parts: Decodable {
        public let everyone: Page<EveryoneScreenEveryoneItem>?

        enum CodingKeys: String, CodingKey {
            case everyone = "everyone"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen profile shows. A part that is refused is missing.
public struct ProfileScreen: Decodable {
    public struct Parts: Decodable {
        public let member: Members?
        public let sightings: Page<Sightings>?

        enum CodingKeys: String, CodingKey {
            case member = "member"
            case sightings = "sightings"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen followers shows. A part that is refused is missing.
public struct FollowersScreen: Decodable {
    public struct Parts: Decodable {
        public let followedBy: Page<FollowersScreenFollowedByItem>?

        enum CodingKeys: String, CodingKey {
            case followedBy = "followed_by"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen saved shows. A part that is refused is missing.
public struct SavedScreen: Decodable {
    public struct Parts: Decodable {
        public let saves: Page<Sightings>?

        enum CodingKeys: String, CodingKey {
            case saves = "saves"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen sighting shows. A part that is refused is missing.
public struct SightingScreen: Decodable {
    public struct Parts: Decodable {
        public let sighting: Sightings?
        public let remarks: Page<SightingScreenRemarksItem>?

        enum CodingKeys: String, CodingKey {
            case sighting = "sighting"
            case remarks = "remarks"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen liked_most shows. A part that is refused is missing.
public struct LikedMostScreen: Decodable {
    public struct Parts: Decodable {
        public let likedThisWeek: Page<LikedMostScreenLikedThisWeekItem>?

        enum CodingKeys: String, CodingKey {
            case likedThisWeek = "liked_this_week"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen find_member shows. A part that is refused is missing.
public struct FindMemberScreen: Decodable {
    public struct Parts: Decodable {
        public let handles: Page<FindMemberScreenHandlesItem>?

        enum CodingKeys: String, CodingKey {
            case handles = "handles"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen find_sighting shows. A part that is refused is missing.
public struct FindSightingScreen: Decodable {
    public struct Parts: Decodable {
        public let mentions: Page<Sightings>?

        enum CodingKeys: String, CodingKey {
            case mentions = "mentions"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen flocks shows. A part that is refused is missing.
public struct FlocksScreen: Decodable {
    public struct Parts: Decodable {
        public let flocks: Page<FlocksScreenFlocksItem>?

        enum CodingKeys: String, CodingKey {
            case flocks = "flocks"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}

/// What the screen around_me shows. A part that is refused is missing.
public struct AroundMeScreen: Decodable {
    public struct Parts: Decodable {
        public let me: Members?
        public let page: Page<AroundMeScreenPageItem>?
        public let blocked: Page<AroundMeScreenBlockedItem>?

        enum CodingKeys: String, CodingKey {
            case me = "me"
            case page = "page"
            case blocked = "blocked"
        }
    }

    public let parts: Parts
    public let refused: [String: Refusal]?
}
