import {
  AnnouncementRequest,
  CallerItem,
  EndingItem,
  EndingQuery,
  KeyContactChange,
} from '../../shared/api/endings'
import { PageQuery } from '../../shared/api/catalog'
import { done, ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import * as announcements from '../services/announcements'
import { listEndings } from '../services/endings'

export const endingOperations: Operation[] = [
  operation<undefined, EndingQuery>({
    id: 'listEndings',
    method: 'GET',
    path: '/endings',
    tag: 'Placements',
    summary: 'List what ends when, and who still calls it',
    query: EndingQuery,
    success: { status: 200, says: 'A page of what ends, the next first', page: EndingItem },
    handle: ({ query }, context) => ok(listEndings(context, query)),
  }),
  operation<undefined, PageQuery>({
    id: 'listPlacementCallers',
    method: 'GET',
    path: '/placements/{placement}/callers',
    tag: 'Placements',
    summary: 'List who called a placement in thirty days, and whose keys open it',
    query: PageQuery,
    success: { status: 200, says: 'A page of callers', page: CallerItem },
    handle: ({ params, query }, context) =>
      ok(announcements.placementCallers(context, params['placement']!, query)),
  }),
  operation<AnnouncementRequest>({
    id: 'sendEndingAnnouncement',
    method: 'POST',
    path: '/placements/{placement}/announcements',
    tag: 'Placements',
    summary: 'Tell callers of a placement that it ends',
    body: AnnouncementRequest,
    success: { status: 200, says: 'The callers, with what they were told', page: CallerItem },
    errors: [403, 409],
    handle: ({ params, body }, context) =>
      ok(announcements.announceEnding(context, params['placement']!, body)),
  }),
  operation<undefined, PageQuery>({
    id: 'listPromotionCallers',
    method: 'GET',
    path: '/promotions/{promotion}/callers',
    tag: 'Promotions',
    summary: 'List who calls what a promotion breaks or takes away',
    query: PageQuery,
    success: { status: 200, says: 'A page of callers', page: CallerItem },
    handle: ({ params, query }, context) =>
      ok(announcements.promotionCallers(context, numberIn(params, 'promotion'), query)),
  }),
  operation<AnnouncementRequest>({
    id: 'sendPromotionAnnouncement',
    method: 'POST',
    path: '/promotions/{promotion}/announcements',
    tag: 'Promotions',
    summary: 'Tell callers what a promotion breaks or takes away',
    body: AnnouncementRequest,
    success: { status: 200, says: 'The callers, with what they were told', page: CallerItem },
    errors: [403, 409],
    handle: ({ params, body }, context) =>
      ok(announcements.announcePromotion(context, numberIn(params, 'promotion'), body)),
  }),
  operation<KeyContactChange>({
    id: 'updateKeyContact',
    method: 'PUT',
    path: '/placements/{placement}/keys/{key}/contact',
    tag: 'Placements',
    summary: 'Say where whoever holds a key is told',
    body: KeyContactChange,
    success: { status: 204, says: 'It is kept' },
    errors: [403],
    handle: ({ params, body }, context) =>
      done(
        announcements.changeContact(context, params['placement']!, params['key']!, body.contact),
      ),
  }),
]
